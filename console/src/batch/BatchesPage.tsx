import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { errandsQuery } from "../api/parcelQueries";
import { batchesQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { FirstSteps } from "../parts/FirstSteps";
import { Loading } from "../parts/Loading";
import { BatchCards } from "./BatchCards";

export function BatchesPage() {
  const batches = useQuery(batchesQuery);
  const errands = useQuery(errandsQuery);
  if (batches.isPending) return <Loading />;
  if (batches.error) return <Failure error={batches.error} again={() => void batches.refetch()} />;
  if (batches.data.length === 0) return <FirstSteps title="Batches" />;
  const names = new Set(errands.data?.map((e) => e.name));
  const planned = batches.data.filter((b) => !names.has(b.name));
  return (
    <>
      <header>
        <h1>Batches</h1>
        <p className="lede">People who move together over one route, on one timetable.</p>
      </header>
      <BatchCards batches={planned} />
      {planned.length < batches.data.length && (
        <p className="soft">
          What packs and unpacks accounts is under <Link to="/parcels">Parcels</Link>.
        </p>
      )}
    </>
  );
}
