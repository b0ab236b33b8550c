import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { type DataColumn, DataTable } from "../parts/DataTable";
import { date, number, size } from "../words/format";

type Account = Schemas["AccountInventory"];

interface Props {
  batch: string;
  accounts: Account[];
  label: string;
  file: string;
}

export function InventoryTable({ batch, accounts, label, file }: Props) {
  const columns: DataColumn<Account>[] = [
    {
      title: "Name",
      csv: "name",
      value: (a) => `${a.name} <${a.account}>`,
      cell: (a) => (
        <>
          <Link to="/batches/$batch/moves/$account" params={{ batch, account: a.account }}>
            {a.name}
          </Link>
          <div className="soft small">{a.account}</div>
        </>
      ),
    },
    { title: "Folders", csv: "folders", value: (a) => a.folders, number: true },
    { title: "Messages", csv: "messages", value: (a) => a.messages, cell: (a) => number(a.messages), number: true },
    { title: "Size", csv: "octets", value: (a) => a.octets, cell: (a) => size(a.octets), number: true },
    {
      title: "To carry",
      csv: "carry_octets",
      value: (a) => a.carryOctets,
      cell: (a) => size(a.carryOctets),
      number: true,
    },
    {
      title: "Newest",
      csv: "newest",
      value: (a) => a.newestMessage,
      cell: (a) => (a.newestMessage ? date(a.newestMessage) : "–"),
    },
    {
      title: "Largest",
      csv: "largest_message",
      value: (a) => a.largestMessage,
      cell: (a) => size(a.largestMessage),
      number: true,
    },
    {
      title: "To decide",
      csv: "open_findings",
      value: (a) => (a.problem ? "closed" : a.findings),
      cell: (a) =>
        a.problem ? (
          <span className="bad">cannot be entered</span>
        ) : a.takenAt ? (
          a.findings
        ) : (
          <span className="soft">not looked at</span>
        ),
      number: true,
    },
  ];
  return (
    <DataTable
      label={label}
      rows={accounts}
      columns={columns}
      rowKey={(a) => a.account}
      empty="Nobody is in this batch."
      name={file}
      unit={["account", "accounts"]}
    />
  );
}
