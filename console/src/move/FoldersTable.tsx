import type { Schemas } from "../api/client";
import { CsvButton } from "../parts/CsvButton";
import { GridSheet } from "../parts/GridSheet";
import { number } from "../words/format";
import { KIND_WORDS } from "../words/states";
import { type FolderLine, folderLines } from "./folderLines";

interface Props {
  account: string;
  /** Folders that passes have looked at, with their sums. */
  folders: Schemas["FolderView"][];
  /** Where the rules in force send each folder that the survey found; none where nobody looked. */
  landings: Schemas["LandingView"][];
}

const COUNTS: { title: string; csv: string; of: (f: Schemas["FolderView"]) => number; bad?: boolean }[] = [
  { title: "Carried", csv: "carried", of: (f) => f.counts.carried },
  { title: "Paired", csv: "paired", of: (f) => f.counts.paired },
  { title: "Excluded", csv: "excluded", of: (f) => f.counts.excluded },
  { title: "Left behind", csv: "left_behind", of: (f) => f.counts.leftBehind, bad: true },
  { title: "Gone since", csv: "gone", of: (f) => f.gone },
  { title: "Missing", csv: "missing", of: (f) => f.missing, bad: true },
  { title: "Twice", csv: "twice", of: (f) => f.twice, bad: true },
  { title: "Altered", csv: "altered", of: (f) => f.altered, bad: true },
];

/** Each folder once: where it lands and why, and what became of its messages. */
export function FoldersTable({ account, folders, landings }: Props) {
  const lines = folderLines(folders, landings);
  if (lines.length === 0)
    return <div className="sheet padded soft">No folder is known yet: take a survey, or start the move.</div>;
  // With one kind there is nothing to tell apart.
  const several = new Set(lines.map((l) => l.kind)).size > 1;
  return (
    <>
      <GridSheet label="Folders">
        <table className="grid tall tight">
          <thead>
            <tr>
              {several && <th scope="col">Kind</th>}
              <th scope="col">From</th>
              <th scope="col">To</th>
              <th scope="col">Sums</th>
              {["Found", ...COUNTS.map((c) => c.title)].map((h) => (
                <th scope="col" className="num" key={h}>
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {lines.map((line) => (
              <tr key={`${line.kind} ${line.from} ${line.to}`}>
                {several && <td>{KIND_WORDS[line.kind]}</td>}
                <td>{line.from}</td>
                <td>
                  <Place line={line} />
                </td>
                <td className={line.sums?.closes ? "good nowrap" : "soft nowrap"}>
                  {line.sums ? (line.sums.closes ? "✓ close" : "… not yet") : "not begun"}
                </td>
                <td className={line.sums ? "num" : "num soft"}>{number(line.found)}</td>
                {COUNTS.map((c) => {
                  const count = line.sums ? c.of(line.sums) : null;
                  return (
                    <td key={c.csv} className={!count ? "num soft" : c.bad ? "num bad" : "num"}>
                      {count === null ? "" : number(count)}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </GridSheet>
      <CsvButton
        name={`waybill-${account}`}
        rows={lines}
        columns={[
          ...(several ? [{ title: "kind", value: (l: FolderLine) => l.kind }] : []),
          { title: "from", value: (l) => l.from },
          { title: "to", value: (l) => l.to },
          { title: "rule", value: (l) => l.rule },
          { title: "found", value: (l) => l.found },
          ...COUNTS.map((c) => ({ title: c.csv, value: (l: FolderLine) => l.sums && c.of(l.sums) })),
          { title: "undecided", value: (l) => l.sums?.undecided },
          { title: "octets", value: (l) => l.sums?.octets },
          { title: "closes", value: (l) => l.sums && String(l.sums.closes) },
        ]}
      />
    </>
  );
}

/** Where it lands, and below that what is worth knowing about it: the rule that sent it there, or how its name was made to fit. */
function Place({ line }: { line: FolderLine }) {
  const about = [line.rule, line.note].filter(Boolean).join("; ");
  return (
    <>
      {line.to ?? <span className="soft">stays behind</span>}
      {about && <div className="soft small">{about}</div>}
    </>
  );
}
