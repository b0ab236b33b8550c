import type { Schemas } from "../api/client";
import { DataTable } from "../parts/DataTable";
import { duration, exactTime, number, size } from "../words/format";
import { KIND_WORDS } from "../words/states";

type Pass = Schemas["PassView"];

const KINDS: Record<string, string> = {
  first: "First",
  "catch-up": "Catch-up",
  survey: "Survey",
  compare: "Comparison",
  "take-back": "Take-back",
  "take-back-check": "Take-back, dry run",
};

type Line = Schemas["PassLegView"] & { pass: Pass };

const seconds = (p: Pass) => (p.ended ? (Date.parse(p.ended) - Date.parse(p.started)) / 1000 : null);

export function PassesTable({ passes }: { passes: Pass[] }) {
  const lines: Line[] = passes.flatMap((pass) => pass.legs.map((leg) => ({ ...leg, pass })));
  const several = new Set(lines.map((l) => l.kind)).size > 1;
  const count = (title: string, csv: string, of: (l: Line) => number) => ({
    title,
    csv,
    value: of,
    cell: (l: Line) => number(of(l)),
    number: true,
  });
  return (
    <DataTable
      label="Passes"
      rows={lines}
      rowKey={(l) => `${l.pass.id} ${l.kind}`}
      empty="No pass has run yet."
      name="passes"
      unit={["pass", "passes"]}
      columns={[
        { title: "Pass", csv: "pass", value: (l) => KINDS[l.pass.kind] ?? l.pass.kind },
        ...(several ? [{ title: "Kind", csv: "kind", value: (l: Line) => KIND_WORDS[l.kind] }] : []),
        { title: "Began", csv: "started", value: (l) => l.pass.started, cell: (l) => exactTime(l.pass.started) },
        {
          title: "Took",
          csv: "seconds",
          value: (l) => seconds(l.pass),
          cell: (l) => (l.pass.ended ? duration(seconds(l.pass) ?? 0) : "…"),
          number: true,
        },
        count("Carried", "carried", (l) => l.carried),
        count("Paired", "paired", (l) => l.paired),
        count("Excluded", "excluded", (l) => l.excluded),
        count("Left", "left_behind", (l) => l.leftBehind),
        count("Flags", "flags_changed", (l) => l.flagsChanged),
        count("Moved", "moved", (l) => l.moved),
        count("Deleted", "removed", (l) => l.removed),
        ...(several ? [count("Updated", "updated", (l: Line) => l.updated)] : []),
        count("Differ", "differences", (l) => l.differences),
        { title: "Size", csv: "octets", value: (l) => l.octets, cell: (l) => size(l.octets), number: true },
        { title: "End", csv: "end", value: ending, wide: true },
      ]}
    />
  );
}

function ending({ pass, fault, stopped }: Line): string {
  if (!pass.ended) return "running";
  if (fault) return fault;
  return stopped ? "stopped; the next goes on from there" : "complete";
}
