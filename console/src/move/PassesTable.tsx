import type { Schemas } from "../api/client";
import { DataTable } from "../parts/DataTable";
import { duration, exactTime, number, size } from "../words/format";

type Pass = Schemas["PassView"];

const KINDS: Record<string, string> = {
  first: "First",
  "catch-up": "Catch-up",
  survey: "Survey",
  compare: "Comparison",
};

const seconds = (p: Pass) => (p.ended ? (Date.parse(p.ended) - Date.parse(p.started)) / 1000 : null);

export function PassesTable({ passes }: { passes: Pass[] }) {
  const count = (title: string, csv: string, of: (p: Pass) => number) => ({
    title,
    csv,
    value: of,
    cell: (p: Pass) => number(of(p)),
    number: true,
  });
  return (
    <DataTable
      label="Passes"
      rows={passes}
      rowKey={(p) => String(p.id)}
      empty="No pass has run yet."
      name="passes"
      unit={["pass", "passes"]}
      columns={[
        { title: "Pass", csv: "kind", value: (p) => KINDS[p.kind] ?? p.kind },
        { title: "Began", csv: "started", value: (p) => p.started, cell: (p) => exactTime(p.started) },
        {
          title: "Took",
          csv: "seconds",
          value: seconds,
          cell: (p) => (p.ended ? duration(seconds(p) ?? 0) : "…"),
          number: true,
        },
        count("Carried", "carried", (p) => p.carried),
        count("Paired", "paired", (p) => p.paired),
        count("Excluded", "excluded", (p) => p.excluded),
        count("Left", "left_behind", (p) => p.leftBehind),
        count("Flags", "flags_changed", (p) => p.flagsChanged),
        count("Moved", "moved", (p) => p.moved),
        count("Deleted", "removed", (p) => p.removed),
        count("Differ", "differences", (p) => p.differences),
        { title: "Size", csv: "octets", value: (p) => p.octets, cell: (p) => size(p.octets), number: true },
        { title: "End", csv: "end", value: ending, wide: true },
      ]}
    />
  );
}

function ending(pass: Pass): string {
  if (!pass.ended) return "running";
  if (pass.fault) return pass.fault;
  return pass.stopped ? "stopped; the next goes on from there" : "complete";
}
