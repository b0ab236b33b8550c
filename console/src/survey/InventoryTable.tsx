import { useNavigate, useSearch } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { fetchAll, usePages } from "../api/pages";
import { fetchInventory, inventoryKey } from "../api/surveyQueries";
import { CsvButton } from "../parts/CsvButton";
import { Failure } from "../parts/Failure";
import { Grid, type Sort } from "../parts/Grid";
import { SearchBox } from "../parts/SearchBox";
import { plural } from "../words/format";
import type { SurveyAddress } from "./address";
import { inventoryColumns, inventoryCsv } from "./inventoryColumns";

/** The accounts of everybody, searched and put in order by the service. */
export function InventoryTable({ batch, kinds }: { batch: string; kinds: Schemas["MoveKind"][] }) {
  const address = useSearch({ from: "/batches/$batch/survey" });
  const navigate = useNavigate({ from: "/batches/$batch/survey" });
  const change = (next: SurveyAddress) =>
    void navigate({ search: (old: SurveyAddress) => ({ ...old, ...next }), replace: true, resetScroll: false });
  const fetch = fetchInventory(batch, address);
  const pages = usePages<Schemas["AccountInventory"]>(inventoryKey(batch, address), fetch);
  if (pages.error) return <Failure error={pages.error} again={pages.again} />;
  const sort: Sort | null = address.sort ? { by: address.sort, down: address.down === true } : null;
  return (
    <div>
      <div className="row" style={{ marginBottom: 8 }}>
        <SearchBox
          label="Search accounts"
          placeholder="Search name or account"
          value={address.search ?? ""}
          onSearch={(search) => change({ search: search === "" ? undefined : search })}
        />
        <span className="soft" role="status">
          {pages.total === undefined ? "" : plural(pages.total, "account")}
        </span>
      </div>
      <Grid
        label="Accounts of this batch"
        columns={inventoryColumns(batch, kinds)}
        count={pages.total ?? 0}
        row={pages.row}
        rowKey={(a) => a.account}
        sort={sort}
        onSort={(next) => change({ sort: next?.by as SurveyAddress["sort"], down: next?.down || undefined })}
        onSight={pages.onSight}
        empty={pages.total === undefined ? "Fetching…" : "Nobody fits this search."}
        height={520}
      />
      <CsvButton name={`inventory-${batch}`} rows={() => fetchAll(fetch)} columns={inventoryCsv} />
    </div>
  );
}
