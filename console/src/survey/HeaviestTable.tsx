import type { Schemas } from "../api/client";
import { CsvButton } from "../parts/CsvButton";
import { Grid } from "../parts/Grid";
import { inventoryColumns, inventoryCsv } from "./inventoryColumns";

interface Props {
  batch: string;
  /** The largest first. */
  accounts: Schemas["AccountInventory"][];
  /** Other kinds than mail that the route carries. */
  kinds: Schemas["MoveKind"][];
}

/** The few largest accounts: they decide how long a batch takes. */
export function HeaviestTable({ batch, accounts, kinds }: Props) {
  // Ten rows in one order: there is nothing to sort by.
  const columns = inventoryColumns(batch, kinds).map(({ by: _, ...column }) => column);
  return (
    <div>
      <Grid
        label="The ten heaviest accounts"
        columns={columns}
        count={accounts.length}
        row={(place) => accounts[place]}
        rowKey={(a) => a.account}
        sort={null}
        onSort={() => {}}
        empty="Nobody was looked at yet."
        height={520}
      />
      <CsvButton name={`heaviest-${batch}`} rows={accounts} columns={inventoryCsv} />
    </div>
  );
}
