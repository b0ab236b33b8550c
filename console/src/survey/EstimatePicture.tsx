import type { Schemas } from "../api/client";
import { fetchAll } from "../api/pages";
import { fetchEstimates } from "../api/surveyQueries";
import { CsvButton } from "../parts/CsvButton";
import { durationRange, number, plural, size } from "../words/format";
import { KIND_WORDS } from "../words/states";

/** From the shortest to the longest that each of the slowest moves may take; the CSV has all moves. */
export function EstimatePicture({ estimate }: { estimate: Schemas["EstimateView"] }) {
  if (estimate.moves.items.every((m) => m.longest === 0))
    return <div className="sheet padded soft">Nothing is left to carry, as far as anybody has looked.</div>;
  const drawn = estimate.moves.items.filter((m) => m.longest > 0);
  const others = (estimate.moves.total ?? 0) - drawn.length;
  const most = drawn[0]?.longest ?? 1;
  const assumed = `${Math.round(estimate.messagesPerSecondLow)} to ${Math.round(estimate.messagesPerSecondHigh)}`;
  return (
    <>
      <div className="sheet padded stack">
        <div>
          <strong>{durationRange(estimate.shortest, estimate.longest)}</strong> when run without pause,{" "}
          {plural(estimate.atOnce, "move")} at a time: {number(estimate.messages)} messages, {size(estimate.octets)}.
          Held back by {estimate.detail}.
        </div>
        <div className="soft">
          {estimate.measured > 0
            ? `Rates were measured on ${plural(estimate.measured, "first pass", "first passes")} of this route.`
            : `Rates are assumed, ${assumed} messages a second for one move, until some were measured.`}
          {estimate.kinds.map(
            (k) =>
              ` ${KIND_WORDS[k.kind]}: ${number(k.items)} to carry, ${Math.round(k.itemsPerSecondLow)} to ` +
              `${Math.round(k.itemsPerSecondHigh)} a second for one move${k.measured > 0 ? ", measured" : ", assumed"}.`,
          )}
          {estimate.unknown > 0 &&
            ` ${plural(estimate.unknown, "person is", "people are")} not in it: nobody has looked at them.`}
        </div>
        <table className="bars">
          <caption className="visually-hidden">The slowest moves, from shortest to longest</caption>
          <tbody>
            {drawn.map((m) => (
              <tr key={m.account}>
                <th scope="row">{m.name}</th>
                <td aria-hidden className="bars-track">
                  <div
                    className="bars-range"
                    style={{
                      marginLeft: `${(m.shortest / most) * 100}%`,
                      width: `${Math.max(0.8, ((m.longest - m.shortest) / most) * 100)}%`,
                    }}
                  />
                </td>
                <td className="num">{durationRange(m.shortest, m.longest)}</td>
                <td className="num soft">{size(m.octets)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {others > 0 && <div className="soft">and {number(others)} faster ones</div>}
      </div>
      <CsvButton
        name={`estimate-${estimate.batch}`}
        rows={() => fetchAll(fetchEstimates(estimate.batch))}
        columns={[
          { title: "name", value: (m) => m.name },
          { title: "account", value: (m) => m.account },
          { title: "messages", value: (m) => m.messages },
          { title: "octets", value: (m) => m.octets },
          { title: "contacts_and_events", value: (m) => m.items },
          { title: "shortest_seconds", value: (m) => Math.round(m.shortest) },
          { title: "longest_seconds", value: (m) => Math.round(m.longest) },
        ]}
      />
    </>
  );
}
