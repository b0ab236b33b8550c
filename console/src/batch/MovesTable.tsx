import { Checkbox, Select } from "@mantine/core";
import { useState } from "react";
import type { Condition, Move, Schemas } from "../api/client";
import { usePages } from "../api/pages";
import { fetchMoves, movesKey } from "../api/queries";
import { Failure } from "../parts/Failure";
import { Grid } from "../parts/Grid";
import { SearchBox } from "../parts/SearchBox";
import { number, plural } from "../words/format";
import { CONDITIONS } from "../words/states";
import { BulkActions } from "./BulkActions";
import { columns } from "./columns";
import { type Filters, isFiltered, sortOf } from "./filters";

interface Props {
  batch: string;
  /** Everybody in the batch. */
  people: number;
  filters: Filters;
  onFilters: (change: Partial<Filters>) => void;
}

/** Searched, filtered and put in order by the service; a person is chosen here. */
export function MovesTable({ batch, people, filters, onFilters }: Props) {
  const pages = usePages<Move>(movesKey(batch, filters), fetchMoves(batch, filters));
  const [chosen, setChosen] = useState<ReadonlyMap<string, Move>>(new Map());
  // Only who is shown is acted on: whoever was chosen under another search is not.
  const change = (next: Partial<Filters>) => {
    setChosen(new Map());
    onFilters(next);
  };
  const shown = pages.total ?? 0;
  if (pages.error) return <Failure error={pages.error} again={pages.again} />;
  return (
    <div className="stack">
      <div className="row spread">
        <div className="row">
          <SearchBox
            label="Search people"
            placeholder="Search name, account or note"
            value={filters.search ?? ""}
            onSearch={(search) => change({ search: search === "" ? undefined : search })}
            width={250}
          />
          <Select
            aria-label="Filter by condition"
            placeholder="Any condition"
            clearable
            clearButtonProps={{ "aria-label": "Any condition" }}
            data={Object.entries(CONDITIONS).map(([value, look]) => ({ value, label: look.word }))}
            value={filters.condition ?? null}
            onChange={(value) => change({ condition: (value as Condition | null) ?? undefined })}
            w={150}
          />
          <Checkbox
            label="Needs somebody"
            checked={filters.needsYou === true}
            onChange={(e) => change({ needsYou: e.currentTarget.checked || undefined })}
          />
          <span className="soft" role="status">
            {pages.total === undefined
              ? ""
              : isFiltered(filters)
                ? `${number(shown)} of ${plural(people, "person", "people")}`
                : plural(shown, "person", "people")}
          </span>
        </div>
        <BulkActions
          batch={batch}
          chosen={[...chosen.values()]}
          shown={shown}
          ready={pages.isFresh}
          filters={filters}
        />
      </div>
      <Grid
        label="People of this batch"
        columns={columns}
        count={shown}
        row={pages.row}
        rowKey={(m) => m.account}
        sort={sortOf(filters)}
        onSort={(sort) =>
          onFilters({ sort: sort?.by as Schemas["MoveOrder"] | undefined, down: sort?.down || undefined })
        }
        chosen={{
          has: (m) => chosen.has(m.account),
          name: (m) => m.name,
          onToggle: (m, on) => {
            const next = new Map(chosen);
            if (on) next.set(m.account, m);
            else next.delete(m.account);
            setChosen(next);
          },
        }}
        onSight={pages.onSight}
        empty={pages.total === undefined ? "Fetching…" : "Nobody fits this search."}
        height={620}
      />
    </div>
  );
}
