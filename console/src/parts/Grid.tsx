import { Checkbox } from "@mantine/core";
import { IconArrowDown, IconArrowUp } from "@tabler/icons-react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useRef } from "react";

/** A row's height in pixels, until it was drawn. */
const ROW = 43;

export interface GridColumn<T> {
  title: string;
  cell: (row: T) => ReactNode;
  /** What it is sorted by; left out: it cannot be sorted. */
  by?: string;
  number?: boolean;
  /** Its text may take several lines. */
  wide?: boolean;
  /** Said when the pointer rests on a cell. */
  hint?: (row: T) => string;
}

export interface Sort {
  by: string;
  down: boolean;
}

/** Rows that a person chose. */
export interface Chosen<T> {
  has: (row: T) => boolean;
  name: (row: T) => string;
  onToggle: (row: T, on: boolean) => void;
}

interface Props<T> {
  label: string;
  columns: GridColumn<T>[];
  /** How many rows there are, drawn or not. */
  count: number;
  /** The row at a place; undefined while it is being fetched. */
  row: (place: number) => T | undefined;
  rowKey: (row: T) => string;
  sort: Sort | null;
  onSort: (sort: Sort | null) => void;
  chosen?: Chosen<T>;
  /** Which places are in sight. */
  onSight?: (first: number, last: number) => void;
  empty: string;
  height: number;
}

/** A table of any length: only the rows in sight are drawn. */
export function Grid<T>(props: Props<T>) {
  const { label, columns, count, row, rowKey, sort, onSort, chosen, onSight, empty, height } = props;
  const scroller = useRef<HTMLElement>(null);
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
    initialRect: { width: 1000, height: 600 },
  });
  const items = virtual.getVirtualItems();
  const first = items[0]?.index ?? 0;
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => onSight?.(first, last), [onSight, first, last]);
  const before = items[0]?.start ?? 0;
  const after = virtual.getTotalSize() - (items.at(-1)?.end ?? 0);
  const span = columns.length + (chosen ? 1 : 0);
  return (
    <section
      className="sheet grid-scroll fixed"
      style={{ maxHeight: height }}
      ref={scroller}
      aria-label={label}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls must be reachable by keyboard
      tabIndex={0}
    >
      <table className="grid tall" aria-rowcount={count + 1}>
        <thead>
          <tr>
            {chosen && <td />}
            {columns.map((c) => (
              <Heading key={c.title} column={c} sort={sort} onSort={onSort} />
            ))}
          </tr>
        </thead>
        <tbody>
          {before > 0 && <Gap height={before} span={span} />}
          {items.map((item) => {
            const data = row(item.index);
            if (data === undefined)
              return (
                <tr key={item.key} aria-busy style={{ height: ROW }}>
                  <td colSpan={span} className="soft">
                    …
                  </td>
                </tr>
              );
            return (
              <tr
                key={rowKey(data)}
                ref={virtual.measureElement}
                data-index={item.index}
                aria-rowindex={item.index + 2}
                aria-selected={chosen?.has(data)}
              >
                {chosen && (
                  <td>
                    <Checkbox
                      size="xs"
                      aria-label={`Select ${chosen.name(data)}`}
                      checked={chosen.has(data)}
                      onChange={(e) => chosen.onToggle(data, e.currentTarget.checked)}
                    />
                  </td>
                )}
                {columns.map((c) => (
                  <td
                    key={c.title}
                    className={c.number ? "num nowrap" : c.wide ? undefined : "nowrap"}
                    title={c.hint?.(data)}
                  >
                    {c.cell(data)}
                  </td>
                ))}
              </tr>
            );
          })}
          {after > 0 && <Gap height={after} span={span} />}
        </tbody>
      </table>
      {count === 0 && <p className="padded soft">{empty}</p>}
    </section>
  );
}

/** A column heading. The first press sorts ascending, the second descending, the third removes the order. */
function Heading<T>({ column, sort, onSort }: { column: GridColumn<T> } & Pick<Props<T>, "sort" | "onSort">) {
  const { by, title } = column;
  const className = column.number ? "num" : undefined;
  if (by === undefined)
    return (
      <th scope="col" className={className}>
        {title}
      </th>
    );
  const sorted = sort?.by === by ? (sort.down ? "descending" : "ascending") : "none";
  return (
    <th scope="col" className={className} aria-sort={sorted}>
      <button
        type="button"
        onClick={() => onSort(sorted === "descending" ? null : { by, down: sorted === "ascending" })}
      >
        {title}
        {sorted === "ascending" && <IconArrowUp size={13} aria-hidden />}
        {sorted === "descending" && <IconArrowDown size={13} aria-hidden />}
      </button>
    </th>
  );
}

function Gap({ height, span }: { height: number; span: number }) {
  return (
    <tr className="gap" aria-hidden>
      <td colSpan={span} style={{ height, padding: 0, border: 0 }} />
    </tr>
  );
}
