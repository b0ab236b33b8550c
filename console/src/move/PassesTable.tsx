import type { Schemas } from "../api/client";
import { duration, exactTime, number, size } from "../words/format";

type Pass = Schemas["PassView"];

const KINDS: Record<string, string> = { first: "First", "catch-up": "Catch-up", survey: "Survey" };

export function PassesTable({ passes }: { passes: Pass[] }) {
  if (passes.length === 0) return <div className="sheet padded soft">No pass has run yet.</div>;
  return (
    <section className="sheet grid-scroll" aria-label="Passes">
      <table className="grid tall">
        <thead>
          <tr>
            <th scope="col">Pass</th>
            <th scope="col">Began</th>
            <th scope="col" className="num">
              Took
            </th>
            {["Carried", "Paired", "Excluded", "Left", "Flags", "Size"].map((h) => (
              <th scope="col" className="num" key={h}>
                {h}
              </th>
            ))}
            <th scope="col">End</th>
          </tr>
        </thead>
        <tbody>
          {passes.map((p) => (
            <tr key={p.id}>
              <td>{KINDS[p.kind] ?? p.kind}</td>
              <td className="nowrap">{exactTime(p.started)}</td>
              <td className="num nowrap">
                {p.ended ? duration((Date.parse(p.ended) - Date.parse(p.started)) / 1000) : "…"}
              </td>
              <td className="num">{number(p.carried)}</td>
              <td className="num">{number(p.paired)}</td>
              <td className="num">{number(p.excluded)}</td>
              <td className="num">{number(p.leftBehind)}</td>
              <td className="num">{number(p.flagsChanged)}</td>
              <td className="num nowrap">{size(p.octets)}</td>
              <td>{ending(p)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function ending(pass: Pass): string {
  if (!pass.ended) return "running";
  if (pass.fault) return pass.fault;
  return pass.stopped ? "stopped; the next goes on from there" : "complete";
}
