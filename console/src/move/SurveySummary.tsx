import { useQuery } from "@tanstack/react-query";
import { personQuery } from "../api/surveyQueries";
import { WeightMark } from "../words/findings";
import { date, number, plural, relative, size } from "../words/format";

/** What the survey of this person found. */
export function SurveySummary({ batch, account }: { batch: string; account: string }) {
  const person = useQuery(personQuery(batch, account));
  if (!person.data) return null;
  const { summary, findings, largest, keywords, forwards, toRoom } = person.data;
  return (
    <>
      <h2>What the survey found</h2>
      <div className="sheet padded stack">
        <div>
          {number(summary.messages)} messages, {size(summary.octets)}
          {summary.oldestMessage && summary.newestMessage && (
            <>
              , from {date(summary.oldestMessage)} to {date(summary.newestMessage)}
            </>
          )}
          . To carry: {number(summary.carryMessages)}, {size(summary.carryOctets)}.{" "}
          {summary.kinds.map((k) => {
            const [thing, place] = k.kind === "contacts" ? ["contact", "address book"] : ["event", "calendar"];
            return `${plural(k.items, thing)} in ${plural(k.containers, place)}, ${number(k.carryItems)} to carry. `;
          })}
          {toRoom?.octets != null && (
            <>
              The new side has room for {size(Math.max(0, toRoom.octets - toRoom.usedOctets))} of {size(toRoom.octets)}.{" "}
            </>
          )}
          {summary.takenAt && <span className="soft">Looked at {relative(summary.takenAt)}.</span>}
        </div>
        {findings.length === 0 && <div className="good">Nothing to decide.</div>}
        {findings.map((f) => (
          <div key={`${f.code} ${f.what}`}>
            <WeightMark weight={f.weight} /> {f.what}
            {f.remedy && <span className="soft"> {f.remedy}.</span>}
            {f.decision && <span className="good"> Decided: {f.decision}.</span>}
          </div>
        ))}
        {largest.length > 0 && largest[0] && (
          <div className="soft">
            Largest: “{largest[0].subject || "(no subject)"}” in {largest[0].folder}, {size(largest[0].octets)}.
            {keywords.length > 0 && ` ${plural(keywords.length, "keyword")} used: ${keywords.slice(0, 5).join(", ")}.`}
            {forwards && forwards.length > 0 && ` Forwards to ${forwards.join(", ")}.`}
          </div>
        )}
      </div>
    </>
  );
}
