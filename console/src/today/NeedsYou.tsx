import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { plural, sentence } from "../words/format";
import { MendHere } from "./MendHere";

const NAMED = 6;

/** What needs a person, grouped by cause, with the remedy: forty refused passwords are one task. */
export function NeedsYou({ groups }: { groups: Schemas["NeedsYou"][] }) {
  if (groups.length === 0)
    return <div className="sheet padded good">Nothing. Whatever passes by itself is tried again without you.</div>;
  return (
    <div className="sheet">
      {groups.map((group) => (
        <section className="need" key={`${group.cause} ${group.what} ${group.service}`}>
          <h3>{sentence(group.what)}</h3>
          <p>{group.remedy}.</p>
          <div className="chips">
            <span className="soft">{plural(group.count, "person", "people")}:</span>
            {group.moves.slice(0, NAMED).map((move) => (
              <Link
                key={`${move.batch} ${move.account}`}
                to="/batches/$batch/moves/$account"
                params={{ batch: move.batch, account: move.account }}
              >
                {move.name}
              </Link>
            ))}
            {group.count > NAMED && <span className="soft">and {group.count - NAMED} more</span>}
          </div>
          <MendHere group={group} />
        </section>
      ))}
    </div>
  );
}
