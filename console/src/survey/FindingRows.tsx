import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { findingRowsQuery } from "../api/surveyQueries";
import { type DataColumn, DataTable } from "../parts/DataTable";
import { Failure } from "../parts/Failure";

type Row = Schemas["FindingRow"];

interface Props {
  batch: string;
  code: string;
  selected: Set<string>;
  onSelect: (selected: Set<string>) => void;
}

export function FindingRows({ batch, code, selected, onSelect }: Props) {
  const rows = useQuery(findingRowsQuery(batch, code));
  if (rows.error) return <Failure error={rows.error} again={() => void rows.refetch()} />;
  if (!rows.data) return null;
  const columns: DataColumn<Row>[] = [
    {
      title: "Name",
      csv: "name",
      value: (r) => r.name,
      cell: (r) => (
        <Link to="/batches/$batch/moves/$account" params={{ batch, account: r.account }}>
          {r.name}
        </Link>
      ),
    },
    { title: "What", csv: "what", value: (r) => r.what, wide: true },
    ...(rows.data.some((r) => r.remedy)
      ? [{ title: "Remedy", csv: "remedy", value: (r: Row) => r.remedy, wide: true }]
      : []),
    { title: "Decided", csv: "decision", value: (r) => r.decision },
  ];
  // A person may have several findings of a kind; a choice is for the person.
  const seen = new Map<string, number>();
  const keyed = rows.data.map((r) => {
    const nth = seen.get(r.account) ?? 0;
    seen.set(r.account, nth + 1);
    return { ...r, nth };
  });
  return (
    <DataTable
      label={`People with ${code}`}
      rows={keyed}
      columns={columns}
      rowKey={(r) => (r.nth === 0 ? r.account : `${r.account} ${r.nth + 1}`)}
      empty="Nobody."
      name={`${code}-${batch}`}
      unit={["row", "rows"]}
      selected={selected}
      onSelect={onSelect}
    />
  );
}
