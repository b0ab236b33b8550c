import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import type { GridColumn } from "../parts/Grid";
import type { CsvColumn } from "../words/csv";
import { date, number, size } from "../words/format";
import { KIND_WORDS } from "../words/states";

type Account = Schemas["AccountInventory"];
type Kind = Schemas["MoveKind"];

const itemsOf = (account: Account, kind: Kind) => account.kinds.find((k) => k.kind === kind)?.items;

/** What a table of accounts shows; "by" is the service's word for the order. */
export const inventoryColumns = (batch: string, kinds: Kind[]): GridColumn<Account>[] => [
  {
    title: "Name",
    by: "name",
    cell: (a) => (
      <>
        <Link to="/batches/$batch/moves/$account" params={{ batch, account: a.account }}>
          {a.name}
        </Link>
        <div className="soft small">{a.account}</div>
      </>
    ),
  },
  ...kinds.map((kind) => ({
    title: KIND_WORDS[kind],
    by: kind,
    cell: (a: Account) => itemsOf(a, kind) ?? "",
    number: true,
  })),
  { title: "Folders", by: "folders", cell: (a) => a.folders, number: true },
  { title: "Messages", by: "messages", cell: (a) => number(a.messages), number: true },
  { title: "Size", by: "octets", cell: (a) => size(a.octets), number: true },
  { title: "To carry", by: "carry-octets", cell: (a) => size(a.carryOctets), number: true },
  { title: "Newest", by: "newest-message", cell: (a) => (a.newestMessage ? date(a.newestMessage) : "–") },
  { title: "Largest", by: "largest-message", cell: (a) => size(a.largestMessage), number: true },
  {
    title: "To decide",
    by: "findings",
    cell: (a) =>
      a.problem ? (
        <span className="bad">sign-in fails</span>
      ) : a.takenAt ? (
        a.findings
      ) : (
        <span className="soft">not looked at</span>
      ),
    number: true,
  },
];

export const inventoryCsv: CsvColumn<Account>[] = [
  { title: "name", value: (a) => a.name },
  { title: "account", value: (a) => a.account },
  { title: "contacts", value: (a) => itemsOf(a, "contacts") },
  { title: "events", value: (a) => itemsOf(a, "calendars") },
  { title: "folders", value: (a) => a.folders },
  { title: "messages", value: (a) => a.messages },
  { title: "octets", value: (a) => a.octets },
  { title: "carry_octets", value: (a) => a.carryOctets },
  { title: "newest", value: (a) => a.newestMessage },
  { title: "largest_message", value: (a) => a.largestMessage },
  { title: "open_findings", value: (a) => (a.problem ? "sign-in fails" : a.findings) },
];
