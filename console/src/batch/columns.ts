import { createColumnHelper } from "@tanstack/react-table";
import type { Move } from "../api/client";
import type { CsvColumn } from "../words/csv";

const column = createColumnHelper<Move>();

/** What the table sorts by; how a cell looks is the row's concern. */
export const columns = [
  column.accessor("name", { header: "Name" }),
  column.accessor("account", { header: "Account" }),
  column.accessor("stage", { header: "Stage" }),
  column.accessor("condition", { header: "Condition" }),
  column.accessor(
    (m) => (m.pass && m.pass.expected > 0 ? m.pass.settled / m.pass.expected : m.stage === "in-step" ? 1 : 0),
    {
      id: "progress",
      header: "Progress",
    },
  ),
  column.accessor((m) => m.counts.found, { id: "found", header: "Found", meta: { number: true } }),
  column.accessor((m) => m.counts.carried, { id: "carried", header: "Carried", meta: { number: true } }),
  column.accessor((m) => m.counts.leftBehind, { id: "left", header: "Left", meta: { number: true } }),
  column.accessor("undecided", { header: "Differ", meta: { number: true } }),
  column.accessor("octets", { header: "Size", meta: { number: true } }),
];

export const csvColumns: CsvColumn<Move>[] = [
  { title: "name", value: (m) => m.name },
  { title: "from_account", value: (m) => m.account },
  { title: "to_account", value: (m) => m.toAccount },
  { title: "stage", value: (m) => m.stage },
  { title: "condition", value: (m) => m.condition },
  { title: "found", value: (m) => m.counts.found },
  { title: "carried", value: (m) => m.counts.carried },
  { title: "paired", value: (m) => m.counts.paired },
  { title: "excluded", value: (m) => m.counts.excluded },
  { title: "left_behind", value: (m) => m.counts.leftBehind },
  { title: "open_left_behind", value: (m) => m.openLeftBehind },
  { title: "undecided", value: (m) => m.undecided },
  { title: "octets", value: (m) => m.octets },
  { title: "problem", value: (m) => m.problem?.what },
  { title: "remedy", value: (m) => m.problem?.remedy },
];
