import { useState } from "react";
import type { Schemas } from "../api/client";
import { fetchAll, usePages } from "../api/pages";
import { fetchPreviewed } from "../api/surveyQueries";
import { CsvButton } from "../parts/CsvButton";
import { Failure } from "../parts/Failure";
import { Grid, type GridColumn, type Sort } from "../parts/Grid";
import { number } from "../words/format";

type Person = Schemas["PersonPreview"];

interface Props {
  batch: string;
  /** Rules that are tried; null: those in force. */
  whatIf: string | null;
  onPerson: (account: string) => void;
}

/** What the rules do for each person, in numbers. */
export function PeopleTable({ batch, whatIf, onPerson }: Props) {
  const [sort, setSort] = useState<Sort | null>(null);
  const pages = usePages<Person>(
    [whatIf === null ? "folders" : "what-if", batch, "people", whatIf, sort?.by, sort?.down],
    fetchPreviewed(batch, whatIf, sort),
  );
  if (pages.error) return <Failure error={pages.error} again={pages.again} />;
  const columns: GridColumn<Person>[] = [
    {
      title: "Name",
      by: "name",
      cell: (p) => (
        <button type="button" className="link" onClick={() => onPerson(p.account)}>
          {p.name}
        </button>
      ),
    },
    { title: "Account", by: "account", cell: (p) => p.account },
    { title: "Folders", by: "folders", cell: (p) => number(p.folders), number: true },
    { title: "Land", by: "landing", cell: (p) => number(p.landing), number: true },
    { title: "Left out", by: "left-behind", cell: (p) => number(p.leftBehind), number: true },
    { title: "Renamed", by: "changed", cell: (p) => number(p.changed), number: true },
    { title: "Merged", by: "merged", cell: (p) => number(p.merged), number: true },
  ];
  return (
    <div>
      <Grid
        label="Folders by person"
        columns={columns}
        count={pages.total ?? 0}
        row={pages.row}
        rowKey={(p) => p.account}
        sort={sort}
        onSort={setSort}
        onSight={pages.onSight}
        empty={pages.total === undefined ? "Fetching…" : "Nobody was looked at yet."}
        height={520}
      />
      <CsvButton
        name={`folders-${batch}`}
        rows={() => fetchAll(fetchPreviewed(batch, whatIf, null))}
        columns={[
          { title: "name", value: (p) => p.name },
          { title: "account", value: (p) => p.account },
          { title: "folders", value: (p) => p.folders },
          { title: "landing", value: (p) => p.landing },
          { title: "left_behind", value: (p) => p.leftBehind },
          { title: "changed", value: (p) => p.changed },
          { title: "merged", value: (p) => p.merged },
        ]}
      />
    </div>
  );
}
