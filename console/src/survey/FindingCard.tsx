import { Button, Collapse } from "@mantine/core";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { useDecisions } from "../parts/useDecisions";
import { WeightMark } from "../words/findings";
import { plural, size } from "../words/format";
import type { SurveyAddress } from "./address";
import { FindingRows } from "./FindingRows";
import { WayForm } from "./WayForm";

/** One kind of finding: what it is, whom it touches, what will happen, and the ways out for one, some or all. */
export function FindingCard({ batch, group }: { batch: string; group: Schemas["FindingGroup"] }) {
  // In the address, so that one finding can be sent to whoever has to decide about it.
  const open = useSearch({ from: "/batches/$batch/survey" }).finding === group.code;
  const navigate = useNavigate({ from: "/batches/$batch/survey" });
  const setOpen = (on: boolean) =>
    void navigate({
      search: (old: SurveyAddress) => ({ ...old, finding: on ? group.code : undefined }),
      replace: true,
      resetScroll: false,
    });
  const [selected, setSelected] = useState<ReadonlySet<string>>(new Set());
  const decisions = useDecisions(batch);
  const about = [
    plural(group.people, "person", "people"),
    group.messages > 0 ? plural(group.messages, "message") : null,
    group.octets > 0 ? size(group.octets) : null,
  ].filter(Boolean);
  return (
    <section className="finding" aria-label={group.title}>
      <div className="row spread">
        <div className="row">
          <WeightMark weight={group.weight} />
          <h3>{group.title}</h3>
          <span className="soft">{about.join(", ")}</span>
        </div>
        <span className={group.open === 0 ? "good" : "soft"}>
          {group.open === 0 ? "✓ decided" : `${group.open} to decide`}
        </span>
      </div>
      <p>
        <span className="soft">If nothing is decided:</span> {group.otherwise}.
      </p>
      {group.decisions.length > 0 && (
        <ul className="decisions">
          {group.decisions.map((d) => (
            <li key={`${d.scope} ${d.place}`}>
              <strong>
                {d.way}
                {d.value && ` “${d.value}”`}
              </strong>{" "}
              for {d.scope === "move" ? d.place : `the ${d.scope} ${d.place}`}, by {d.who}{" "}
              <Button
                variant="subtle"
                size="compact-xs"
                loading={decisions.isPending}
                onClick={() =>
                  decisions.mutate({
                    code: group.code,
                    way: null,
                    value: null,
                    scope: d.scope,
                    moves: d.scope === "move" ? [d.place] : null,
                  })
                }
              >
                Take back
              </Button>
            </li>
          ))}
        </ul>
      )}
      <div className="row">
        <WayForm group={group} selected={[...selected]} pending={decisions.isPending} onChoose={decisions.mutate} />
        <Button variant="subtle" size="compact-sm" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Hide whom it touches" : "Whom it touches"}
        </Button>
        {!open && <span className="soft">{named(group)}</span>}
      </div>
      <Collapse expanded={open}>
        {open && <FindingRows batch={batch} code={group.code} selected={selected} onSelect={setSelected} />}
      </Collapse>
    </section>
  );
}

/** People named on the card itself; the list has them all. */
const NAMED = 3;

function named(group: Schemas["FindingGroup"]): string {
  const names = [...new Set(group.rows.map((r) => r.name))];
  const more = group.people - Math.min(NAMED, names.length);
  return `${names.slice(0, NAMED).join(", ")}${more > 0 ? ` and ${more} more` : ""}`;
}
