import { Checkbox, TextInput } from "@mantine/core";
import { IconArrowDown, IconArrowUp, IconSearch } from "@tabler/icons-react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useMemo, useRef, useState } from "react";
import { number, plural } from "../words/format";
import { CsvButton } from "./CsvButton";

/** A row's height in pixels, until it was drawn. */
const ROW = 43;
/** From this many rows on a search is worth its place. */
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
  selected?: Set<string>;
  onSelect?: (selected: Set<string>) => void;
}

/** Searched, sorted and exported; only the rows in sight are drawn. */
export function DataTable<T>({ label, rows, columns, rowKey, empty, name, unit, selected, onSelect }: Props<T>) {
  const [search, setSearch] = useState("");
  const [sort, setSort] = useState<{ column: number; down: boolean } | null>(null);
  const scroller = useRef<HTMLElement>(null);
  const shown = useMemo(() => {
    const words = search.trim().toLowerCase();
    const found =
      words === ""
        ? rows
        : rows.filter((r) =>
            columns.some((c) =>
              String(c.value(r) ?? "")
                .toLowerCase()
                .includes(words),
            ),
          );
    const by = sort && columns[sort.column];
    if (!by) return found;
    return [...found].sort((a, b) => compare(by.value(a), by.value(b)) * (sort.down ? -1 : 1));
  }, [rows, columns, search, sort]);
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
    initialRect: { width: 1000, height: 600 },
  });
  if (rows.length === 0) return <div className="sheet padded soft">{empty}</div>;
  const items = virtual.getVirtualItems();
  const before = items[0]?.start ?? 0;
  const after = virtual.getTotalSize() - (items.at(-1)?.end ?? 0);
  const span = columns.length + (onSelect ? 1 : 0);
  const all = shown.length > 0 && shown.every((r) => selected?.has(rowKey(r)));
  const toggle = (keys: string[], on: boolean) => {
    const next = new Set(selected);
    for (const key of keys) on ? next.add(key) : next.delete(key);
    onSelect?.(next);
  };
  return (
    <div>
      {rows.length >= MANY && (
        <div className="row" style={{ marginBottom: 8 }}>
          <TextInput
            aria-label={`Search ${label}`}
            placeholder="Search"
            leftSection={<IconSearch size={16} aria-hidden />}
            value={search}
            onChange={(e) => setSearch(e.currentTarget.value)}
            w={260}
          />
          <span className="soft" role="status">
            {shown.length === rows.length
              ? plural(rows.length, ...unit)
              : `${number(shown.length)} of ${plural(rows.length, ...unit)}`}
          </span>
        </div>
      )}
      <section
        className="sheet grid-scroll fixed"
        style={{ maxHeight: 520 }}
        ref={scroller}
        aria-label={label}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls must be reachable by keyboard
        tabIndex={0}
      >
        <table className="grid tall" aria-rowcount={shown.length + 1}>
          <thead>
            <tr>
              {onSelect && (
                <th scope="col">
                  <Checkbox
                    size="xs"
                    aria-label="Select all shown"
                    checked={all}
                    onChange={(e) => toggle(shown.map(rowKey), e.currentTarget.checked)}
                  />
                </th>
              )}
              {columns.map((c, i) => {
                const sorted = sort?.column === i ? (sort.down ? "descending" : "ascending") : "none";
                return (
                  <th key={c.title} scope="col" className={c.number ? "num" : undefined} aria-sort={sorted}>
                    <button
                      type="button"
                      onClick={() =>
                        setSort(sort?.column === i && sort.down ? null : { column: i, down: sort?.column === i })
                      }
                    >
                      {c.title}
                      {sorted === "ascending" && <IconArrowUp size={13} aria-hidden />}
                      {sorted === "descending" && <IconArrowDown size={13} aria-hidden />}
                    </button>
                  </th>
                );
              })}
            </tr>
          </thead>
          <tbody>
            {before > 0 && <Gap height={before} span={span} />}
            {items.map((item) => {
              const row = shown[item.index];
              if (row === undefined) return null;
              const key = rowKey(row);
              return (
                <tr key={key} ref={virtual.measureElement} data-index={item.index} aria-rowindex={item.index + 2}>
                  {onSelect && (
                    <td>
                      <Checkbox
                        size="xs"
                        aria-label={`Select ${key}`}
                        checked={selected?.has(key) ?? false}
                        onChange={(e) => toggle([key], e.currentTarget.checked)}
                      />
                    </td>
                  )}
                  {columns.map((c) => (
                    <td key={c.title} className={c.number ? "num nowrap" : c.wide ? undefined : "nowrap"}>
                      {c.cell ? c.cell(row) : c.value(row)}
                    </td>
                  ))}
                </tr>
              );
            })}
            {after > 0 && <Gap height={after} span={span} />}
          </tbody>
        </table>
        {shown.length === 0 && <p className="padded soft">Nothing fits this search.</p>}
      </section>
      <CsvButton name={name} rows={shown} columns={columns.map((c) => ({ title: c.csv, value: c.value }))} />
    </div>
  );
}

function compare(a: string | number | null | undefined, b: string | number | null | undefined): number {
  if (typeof a === "number" && typeof b === "number") return a - b;
  return String(a ?? "").localeCompare(String(b ?? ""));
}

function Gap({ height, span }: { height: number; span: number }) {
  return (
    <tr className="gap" aria-hidden>
      <td colSpan={span} style={{ height, padding: 0, border: 0 }} />
    </tr>
  );
}
