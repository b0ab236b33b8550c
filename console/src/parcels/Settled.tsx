import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import type { Batch } from "../api/client";
import type { Errand } from "../api/parcelQueries";
import { batchesQuery } from "../api/queries";
import { type DataColumn, DataTable } from "../parts/DataTable";
import { number, size, time } from "../words/format";
import { isSettled } from "./Underway";

interface Row {
  errand: Errand;
  batch: Batch | undefined;
}

/** What was packed and unpacked, by whose wish, and what came of it. */
export function Settled({ errands }: { errands: Errand[] }) {
  const batches = useQuery(batchesQuery);
  if (!batches.data) return null;
  const of = new Map(batches.data.map((b) => [b.name, b]));
  const rows = errands
    .map((errand) => ({ errand, batch: of.get(errand.name) }))
    .filter((r) => isSettled(r.batch))
    .sort((a, b) => b.errand.createdAt.localeCompare(a.errand.createdAt));
  if (rows.length === 0) return null;
  return (
    <>
      <h2>Packed and unpacked</h2>
      <DataTable
        label="Packed and unpacked"
        rows={rows}
        columns={COLUMNS}
        rowKey={(r) => r.errand.name}
        empty="Nothing yet."
        name="packed-and-unpacked"
        unit={["errand", "errands"]}
      />
    </>
  );
}

const count = (title: string, csv: string, of: (b: Batch) => number): DataColumn<Row> => ({
  title,
  csv,
  value: (r) => (r.batch ? of(r.batch) : 0),
  cell: (r) => (r.batch ? number(of(r.batch)) : ""),
  number: true,
});

const COLUMNS: DataColumn<Row>[] = [
  {
    title: "Errand",
    csv: "errand",
    value: (r) => r.errand.name,
    cell: (r) => (
      <Link to="/batches/$batch" params={{ batch: r.errand.name }}>
        {r.errand.name}
      </Link>
    ),
  },
  {
    title: "What",
    csv: "what",
    value: (r) => (r.errand.kind === "pack" ? `packed from ${r.errand.from}` : `put into an account at ${r.errand.to}`),
    wide: true,
  },
  { title: "Asked for by", csv: "asked_by", value: (r) => r.errand.createdBy },
  { title: "When", csv: "asked_at", value: (r) => r.errand.createdAt, cell: (r) => time(r.errand.createdAt) },
  { title: "Accounts", csv: "accounts", value: (r) => r.errand.people, number: true },
  count("Found", "found", (b) => b.counts.found),
  count("Carried", "carried", (b) => b.counts.carried),
  count("There already", "paired", (b) => b.counts.paired),
  count("Left behind", "left_behind", (b) => b.counts.leftBehind),
  {
    title: "Size",
    csv: "octets",
    value: (r) => r.batch?.octets ?? 0,
    cell: (r) => (r.batch ? size(r.batch.octets) : ""),
    number: true,
  },
];
