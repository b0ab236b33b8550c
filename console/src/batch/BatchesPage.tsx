import { useQuery } from "@tanstack/react-query";
import { batchesQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { BatchCards } from "./BatchCards";

export function BatchesPage() {
  const batches = useQuery(batchesQuery);
  if (batches.isPending) return null;
  if (batches.error) return <Failure error={batches.error} again={() => void batches.refetch()} />;
  return (
    <>
      <header>
        <h1>Batches</h1>
        <p className="lede">People who move together over one route, on one timetable.</p>
      </header>
      {batches.data.length === 0 ? (
        <div className="sheet padded">
          No batch yet. A plan file names them: <code>caravan plan apply FILE</code>.
        </div>
      ) : (
        <BatchCards batches={batches.data} />
      )}
    </>
  );
}
