import { Link } from "@tanstack/react-router";
import type { Move } from "../api/client";
import { Bar } from "../parts/Bar";
import type { GridColumn } from "../parts/Grid";
import type { CsvColumn } from "../words/csv";
import { number, size } from "../words/format";
import { ConditionMark, STAGE_WORDS } from "../words/states";

/** What a table of people shows; "by" is the service's word for the order. */
export const columns: GridColumn<Move>[] = [
  {
    title: "Name",
    by: "name",
    cell: (m) => (
      <Link to="/batches/$batch/moves/$account" params={{ batch: m.batch, account: m.account }}>
        {m.name}
      </Link>
    ),
  },
  { title: "Account", by: "account", cell: (m) => <span className="soft">{m.account}</span> },
  { title: "Stage", by: "stage", cell: (m) => STAGE_WORDS[m.stage] },
  {
    title: "Condition",
    by: "condition",
    cell: (m) => <ConditionMark condition={m.condition} />,
    hint: (m) => m.conditionText,
  },
  {
    title: "Progress",
    cell: (m) =>
      m.pass && m.pass.expected > 0 ? (
        <Bar share={m.pass.settled / m.pass.expected} label={`${m.name}: share of messages settled`} />
      ) : null,
  },
  { title: "Found", by: "found", number: true, cell: (m) => number(m.counts.found) },
  { title: "Carried", by: "carried", number: true, cell: (m) => number(m.counts.carried) },
  {
    title: "Left",
    by: "left-behind",
    number: true,
    cell: (m) => <span className={m.openLeftBehind > 0 ? "bad" : undefined}>{number(m.counts.leftBehind)}</span>,
  },
  {
    title: "Differ",
    by: "undecided",
    number: true,
    cell: (m) => <span className={m.undecided > 0 ? "bad" : undefined}>{number(m.undecided)}</span>,
  },
  { title: "Size", by: "octets", number: true, cell: (m) => size(m.octets) },
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
