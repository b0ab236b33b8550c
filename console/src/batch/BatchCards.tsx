import { Link } from "@tanstack/react-router";
import type { Batch } from "../api/client";
import { number, plural, size } from "../words/format";
import { StageBar } from "./StageBar";

export function BatchCards({ batches }: { batches: Batch[] }) {
  return (
    <div className="cards">
      {batches.map((batch) => (
        <section className="sheet padded stack" key={batch.name} aria-label={batch.name}>
          <div className="row spread">
            <Link to="/batches/$batch" params={{ batch: batch.name }}>
              <strong>{batch.name}</strong>
            </Link>
            <span className="soft">{plural(batch.people, "person", "people")}</span>
          </div>
          <StageBar batch={batch} />
          <div>{batch.doing}</div>
          <div className="soft">
            {number(batch.counts.carried)} of {number(batch.counts.found)} carried, {size(batch.octets)}
            {batch.openLeftBehind > 0 && <span className="bad"> · {batch.openLeftBehind} left behind</span>}
          </div>
        </section>
      ))}
    </div>
  );
}
