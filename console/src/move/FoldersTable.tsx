import type { Schemas } from "../api/client";
import { CsvButton } from "../parts/CsvButton";
import { GridSheet } from "../parts/GridSheet";
import { number } from "../words/format";
import { KIND_WORDS } from "../words/states";

type Folder = Schemas["FolderView"];

export function FoldersTable({ account, folders }: { account: string; folders: Folder[] }) {
  if (folders.length === 0)
    return <div className="sheet padded soft">No folder was looked at yet: start the move first.</div>;
  // With one kind there is nothing to tell apart.
  const several = new Set(folders.map((f) => f.kind)).size > 1;
  return (
    <>
      <GridSheet label="Folders">
        <table className="grid">
          <thead>
            <tr>
              {several && <th scope="col">Kind</th>}
              <th scope="col">From</th>
              <th scope="col">To</th>
              <th scope="col">Sums</th>
              {[
                "Found",
                "Carried",
                "Paired",
                "Excluded",
                "Left behind",
                "Gone since",
                "Missing",
                "Twice",
                "Altered",
              ].map((h) => (
                <th scope="col" className="num" key={h}>
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {folders.map((f) => (
              <tr key={`${f.kind} ${f.from} ${f.to}`}>
                {several && <td>{KIND_WORDS[f.kind]}</td>}
                <td>{f.from}</td>
                <td>{f.to ?? <span className="soft">stays behind</span>}</td>
                <td className={f.closes ? "good nowrap" : "soft nowrap"}>{f.closes ? "✓ close" : "… not yet"}</td>
                <td className="num">{number(f.counts.found)}</td>
                <td className="num">{number(f.counts.carried)}</td>
                <td className="num">{number(f.counts.paired)}</td>
                <td className="num">{number(f.counts.excluded)}</td>
                <td className={f.counts.leftBehind > 0 ? "num bad" : "num"}>{number(f.counts.leftBehind)}</td>
                <td className="num">{number(f.gone)}</td>
                <td className={f.missing > 0 ? "num bad" : "num"}>{number(f.missing)}</td>
                <td className={f.twice > 0 ? "num bad" : "num"}>{number(f.twice)}</td>
                <td className={f.altered > 0 ? "num bad" : "num"}>{number(f.altered)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </GridSheet>
      <CsvButton
        name={`waybill-${account}`}
        rows={folders}
        columns={[
          ...(several ? [{ title: "kind", value: (f: Folder) => f.kind }] : []),
          { title: "from", value: (f) => f.from },
          { title: "to", value: (f) => f.to },
          { title: "found", value: (f) => f.counts.found },
          { title: "carried", value: (f) => f.counts.carried },
          { title: "paired", value: (f) => f.counts.paired },
          { title: "excluded", value: (f) => f.counts.excluded },
          { title: "left_behind", value: (f) => f.counts.leftBehind },
          { title: "gone", value: (f) => f.gone },
          { title: "missing", value: (f) => f.missing },
          { title: "twice", value: (f) => f.twice },
          { title: "altered", value: (f) => f.altered },
          { title: "undecided", value: (f) => f.undecided },
          { title: "octets", value: (f) => f.octets },
          { title: "closes", value: (f) => String(f.closes) },
        ]}
      />
    </>
  );
}
