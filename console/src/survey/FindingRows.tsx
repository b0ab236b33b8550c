import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { fetchAll, usePages } from "../api/pages";
import { fetchFindingRows, findingRowsKey } from "../api/surveyQueries";
import { CsvButton } from "../parts/CsvButton";
import { Failure } from "../parts/Failure";
import { Grid, type GridColumn } from "../parts/Grid";
import { SearchBox } from "../parts/SearchBox";
import { plural } from "../words/format";

type Row = Schemas["FindingRow"];

interface Props {
  batch: string;
  code: string;
  /** Accounts that were chosen. */
  selected: ReadonlySet<string>;
  onSelect: (selected: ReadonlySet<string>) => void;
}

/** Whom a finding touches. A person may have it several times; a choice is for the person. */
export function FindingRows({ batch, code, selected, onSelect }: Props) {
  const [search, setSearch] = useState("");
  const fetch = fetchFindingRows(batch, code, search);
  const pages = usePages<Row>(findingRowsKey(batch, code, search), fetch);
  if (pages.error) return <Failure error={pages.error} again={pages.again} />;
  const columns: GridColumn<Row>[] = [
    {
      title: "Name",
      cell: (r) => (
        <Link to="/batches/$batch/moves/$account" params={{ batch, account: r.account }}>
          {r.name}
        </Link>
      ),
    },
    { title: "What", cell: (r) => r.what, wide: true },
    ...(pages.row(0)?.remedy ? [{ title: "Remedy", cell: (r: Row) => r.remedy, wide: true }] : []),
    { title: "Decided", cell: (r) => r.decision },
  ];
  return (
    <div>
      <div className="row" style={{ marginBottom: 8 }}>
        <SearchBox label={`Search people with ${code}`} placeholder="Search" value={search} onSearch={setSearch} />
        <span className="soft" role="status">
          {pages.total === undefined ? "" : plural(pages.total, "row")}
        </span>
      </div>
      <Grid
        label={`People with ${code}`}
        columns={columns}
        count={pages.total ?? 0}
        row={pages.row}
        rowKey={(r) => `${r.account} ${r.what}`}
        sort={null}
        onSort={() => {}}
        chosen={{
          has: (r) => selected.has(r.account),
          name: (r) => r.account,
          onToggle: (r, on) => {
            const next = new Set(selected);
            if (on) next.add(r.account);
            else next.delete(r.account);
            onSelect(next);
          },
        }}
        onSight={pages.onSight}
        empty={pages.total === undefined ? "Fetching…" : "Nobody fits this search."}
        height={520}
      />
      <CsvButton
        name={`${code}-${batch}`}
        rows={() => fetchAll(fetch)}
        columns={[
          { title: "name", value: (r) => r.name },
          { title: "account", value: (r) => r.account },
          { title: "what", value: (r) => r.what },
          { title: "remedy", value: (r) => r.remedy },
          { title: "decision", value: (r) => r.decision },
        ]}
      />
    </div>
  );
}
