import { Checkbox, Select, TextInput } from "@mantine/core";
import { IconArrowDown, IconArrowUp, IconSearch } from "@tabler/icons-react";
import {
  flexRender,
  getCoreRowModel,
  getSortedRowModel,
  type RowSelectionState,
  type SortingState,
  useReactTable,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useMemo, useRef, useState } from "react";
import type { Condition, Move, Stage } from "../api/client";
import { number, plural } from "../words/format";
import { CONDITIONS } from "../words/states";
import { BulkActions } from "./BulkActions";
import { columns } from "./columns";
import { MoveRow } from "./MoveRow";

const ROW = 43;

interface Props {
  batch: string;
  moves: Move[];
  stage: Stage | null;
}

/** Searched, filtered, sorted and selected here; only the rows in sight are drawn, so thousands are no burden. */
export function MovesTable({ batch, moves, stage }: Props) {
  const [search, setSearch] = useState("");
  const [condition, setCondition] = useState<Condition | null>(null);
  const [sorting, setSorting] = useState<SortingState>([]);
  const [selection, setSelection] = useState<RowSelectionState>({});
  const scroller = useRef<HTMLElement>(null);

  const shown = useMemo(() => {
    const words = search.trim().toLowerCase();
    return moves.filter(
      (m) =>
        (!stage || m.stage === stage) &&
        (!condition || m.condition === condition) &&
        (words === "" || [m.name, m.account, m.toAccount, m.note ?? ""].some((t) => t.toLowerCase().includes(words))),
    );
  }, [moves, search, stage, condition]);

  const table = useReactTable({
    data: shown,
    columns,
    state: { sorting, rowSelection: selection },
    getRowId: (m) => m.account,
    enableRowSelection: true,
    onSortingChange: setSorting,
    onRowSelectionChange: setSelection,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
  });
  const rows = table.getRowModel().rows;
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
    initialRect: { width: 1000, height: 600 },
  });
  const items = virtual.getVirtualItems();
  const before = items[0]?.start ?? 0;
  const after = virtual.getTotalSize() - (items.at(-1)?.end ?? 0);
  // Only what is in sight is acted on: a person chosen and then filtered away is not.
  const selected = rows.filter((r) => r.getIsSelected()).map((r) => r.original);

  return (
    <div className="stack">
      <div className="row spread">
        <div className="row">
          <TextInput
            aria-label="Search people"
            placeholder="Search name, account or note"
            leftSection={<IconSearch size={16} aria-hidden />}
            value={search}
            onChange={(e) => setSearch(e.currentTarget.value)}
            w={280}
          />
          <Select
            aria-label="Filter by condition"
            placeholder="Any condition"
            clearable
            clearButtonProps={{ "aria-label": "Any condition" }}
            data={Object.entries(CONDITIONS).map(([value, look]) => ({ value, label: look.word }))}
            value={condition}
            onChange={(value) => setCondition(value as Condition | null)}
            w={170}
          />
          <span className="soft" role="status">
            {rows.length === moves.length
              ? plural(moves.length, "person", "people")
              : `${number(rows.length)} of ${plural(moves.length, "person", "people")}`}
          </span>
        </div>
        <BulkActions batch={batch} selected={selected} shown={rows.map((r) => r.original)} />
      </div>
      <section
        className="sheet grid-scroll fixed"
        style={{ maxHeight: 620 }}
        ref={scroller}
        aria-label="People of this batch"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls must be reachable by keyboard
        tabIndex={0}
      >
        <table className="grid" aria-rowcount={rows.length + 1}>
          <thead>
            {table.getHeaderGroups().map((group) => (
              <tr key={group.id}>
                <th scope="col">
                  <Checkbox
                    size="xs"
                    aria-label="Select everybody shown"
                    checked={rows.length > 0 && table.getIsAllRowsSelected()}
                    indeterminate={table.getIsSomeRowsSelected()}
                    onChange={table.getToggleAllRowsSelectedHandler()}
                  />
                </th>
                {group.headers.map((header) => {
                  const sorted = header.column.getIsSorted();
                  const numeric = (header.column.columnDef.meta as { number?: boolean } | undefined)?.number;
                  return (
                    <th
                      key={header.id}
                      scope="col"
                      className={numeric ? "num" : undefined}
                      aria-sort={sorted === "asc" ? "ascending" : sorted === "desc" ? "descending" : "none"}
                    >
                      <button type="button" onClick={header.column.getToggleSortingHandler()}>
                        {flexRender(header.column.columnDef.header, header.getContext())}
                        {sorted === "asc" && <IconArrowUp size={13} aria-hidden />}
                        {sorted === "desc" && <IconArrowDown size={13} aria-hidden />}
                      </button>
                    </th>
                  );
                })}
              </tr>
            ))}
          </thead>
          <tbody>
            {before > 0 && <Gap height={before} />}
            {items.map((item) => {
              const row = rows[item.index];
              if (!row) return null;
              return (
                <MoveRow
                  key={row.id}
                  move={row.original}
                  index={item.index + 2}
                  selected={row.getIsSelected()}
                  onSelect={row.getToggleSelectedHandler()}
                />
              );
            })}
            {after > 0 && <Gap height={after} />}
          </tbody>
        </table>
        {rows.length === 0 && <p className="padded soft">Nobody fits this search.</p>}
      </section>
    </div>
  );
}

function Gap({ height }: { height: number }) {
  return (
    <tr className="gap" aria-hidden>
      <td colSpan={11} style={{ height, padding: 0, border: 0 }} />
    </tr>
  );
}
