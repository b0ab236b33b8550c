import type { ReactNode } from "react";
import type { Counts, Kind } from "../api/client";
import { number, size } from "../words/format";
import { KIND_WORDS } from "../words/states";
import { Figures } from "./Figures";
import { GridSheet } from "./GridSheet";

interface Sums {
  kind: Kind;
  counts: Counts;
  octets: number;
}

interface Props<T extends Sums> {
  kinds: T[];
  /** Where each kind stands, if there is something to say of it. */
  state?: { title: string; of: (kind: T) => ReactNode };
}

/** The sums of each kind; with one kind, its figures alone. */
export function KindTable<T extends Sums>({ kinds, state }: Props<T>) {
  const [only] = kinds;
  if (kinds.length === 1 && only) {
    return <Figures counts={only.counts} more={[{ label: "carried in size", value: size(only.octets) }]} />;
  }
  return (
    <GridSheet label="Sums by kind">
      <table className="grid">
        <thead>
          <tr>
            <th scope="col">Kind</th>
            {state && <th scope="col">{state.title}</th>}
            {["Found", "Carried", "Paired", "Excluded", "Left behind", "Size"].map((title) => (
              <th scope="col" className="num" key={title}>
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {kinds.map((k) => (
            <tr key={k.kind}>
              <th scope="row">{KIND_WORDS[k.kind]}</th>
              {state && <td>{state.of(k)}</td>}
              <td className="num">{number(k.counts.found)}</td>
              <td className="num">{number(k.counts.carried)}</td>
              <td className="num">{number(k.counts.paired)}</td>
              <td className="num">{number(k.counts.excluded)}</td>
              <td className={k.counts.leftBehind > 0 ? "num bad" : "num"}>{number(k.counts.leftBehind)}</td>
              <td className="num">{size(k.octets)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </GridSheet>
  );
}
