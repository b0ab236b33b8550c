import { useQuery } from "@tanstack/react-query";
import { batchesQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { FirstSteps } from "../parts/FirstSteps";
import { Loading } from "../parts/Loading";
import { BatchCards } from "./BatchCards";

export function BatchesPage() {
  const batches = useQuery(batchesQuery);
  if (batches.isPending) return <Loading />;
  if (batches.error) return <Failure error={batches.error} again={() => void batches.refetch()} />;
  if (batches.data.length === 0) return <FirstSteps title="Batches" />;
  return (
    <>
      <header>
        <h1>Batches</h1>
        <p className="lede">People who move together over one route, on one timetable.</p>
      </header>
      <BatchCards batches={batches.data} />
    </>
  );
}
