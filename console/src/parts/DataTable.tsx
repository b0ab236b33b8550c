import { type ReactNode, useMemo, useState } from "react";
import { number, plural } from "../words/format";
import { CsvButton } from "./CsvButton";
import { Grid, type Sort } from "./Grid";
import { SearchBox } from "./SearchBox";

/** A search field is shown from this many rows on. */
const MANY = 8;

export interface DataColumn<T> {
  title: string;
  /** What the CSV calls it. */
  csv: string;
  /** What it sorts and searches by, and what the CSV holds. */
  value: (row: T) => string | number | null | undefined;
  /** How it looks, where that differs from its value. */
  cell?: (row: T) => ReactNode;
  number?: boolean;
  wide?: boolean;
}

interface Props<T> {
  label: string;
  rows: T[];
  columns: DataColumn<T>[];
  rowKey: (row: T) => string;
  empty: string;
  /** The CSV's file name. */
  name: string;
  /** One row of it, for the count: "person", "people". */
  unit: [string, string];
}

/** A table whose rows are all at hand: searched, sorted and exported here. */
export function DataTable<T>({ label, rows, columns, rowKey, empty, name, unit }: Props<T>) {
  const [search, setSearch] = useState("");
  const [sort, setSort] = useState<Sort | null>(null);
  const shown = useMemo(() => {
    const words = search.trim().toLowerCase();
    const fits = (row: T) => columns.some((c) => `${c.value(row) ?? ""}`.toLowerCase().includes(words));
    const found = words === "" ? rows : rows.filter(fits);
    const by = sort && columns.find((c) => c.title === sort.by);
    if (!by) return found;
    return [...found].sort((a, b) => compare(by.value(a), by.value(b)) * (sort.down ? -1 : 1));
  }, [rows, columns, search, sort]);
  if (rows.length === 0) return <div className="sheet padded soft">{empty}</div>;
  return (
    <div>
      {rows.length >= MANY && (
        <div className="row" style={{ marginBottom: 8 }}>
          <SearchBox label={`Search ${label}`} placeholder="Search" value={search} onSearch={setSearch} width={260} />
          <span className="soft" role="status">
            {shown.length === rows.length
              ? plural(rows.length, ...unit)
              : `${number(shown.length)} of ${plural(rows.length, ...unit)}`}
          </span>
        </div>
      )}
      <Grid
        label={label}
        columns={columns.map((c) => ({ ...c, by: c.title, cell: c.cell ?? c.value }))}
        count={shown.length}
        row={(place) => shown[place]}
        rowKey={rowKey}
        sort={sort}
        onSort={setSort}
        empty="Nothing fits this search."
        height={520}
      />
      <CsvButton name={name} rows={shown} columns={columns.map((c) => ({ title: c.csv, value: c.value }))} />
    </div>
  );
}

function compare(a: string | number | null | undefined, b: string | number | null | undefined): number {
  if (typeof a === "number" && typeof b === "number") return a - b;
  return String(a ?? "").localeCompare(String(b ?? ""));
}
