import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { batchQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { KindTable } from "../parts/KindTable";
import { Loading } from "../parts/Loading";
import { BatchTabs } from "./BatchTabs";
import type { Filters } from "./filters";
import { MovesTable } from "./MovesTable";
import { StageBar } from "./StageBar";

export function BatchPage() {
  const { batch: name } = useParams({ from: "/batches/$batch" });
  const batch = useQuery(batchQuery(name));
  const filters = useSearch({ from: "/batches/$batch" });
  const navigate = useNavigate({ from: "/batches/$batch" });
  if (batch.error) return <Failure error={batch.error} again={() => void batch.refetch()} />;
  if (!batch.data) return <Loading />;
  // Replaced, not added: going back leads to the page before, not through every letter that was typed.
  const filter = (change: Partial<Filters>) =>
    void navigate({ search: (old: Filters) => ({ ...old, ...change }), replace: true, resetScroll: false });
  const data = batch.data;
  return (
    <>
      <header>
        <div className="crumbs">
          <Link to="/batches">Batches</Link>
        </div>
        <h1>{data.name}</h1>
        <p className="lede">
          {data.from} → {data.to} over {data.route}.{" "}
          {data.windows ? `Passes run ${data.windows}.` : "Passes run at all hours."}
        </p>
        <BatchTabs batch={name} />
      </header>
      <div className="sheet padded stack">
        <StageBar
          batch={data}
          chosen={filters.stage ?? null}
          onChoose={(stage) => filter({ stage: stage ?? undefined })}
        />
        <div>
          <strong>{data.doing}</strong>
        </div>
        <KindTable kinds={data.kinds} />
      </div>
      <h2>People</h2>
      <MovesTable key={name} batch={name} people={data.people} filters={filters} onFilters={filter} />
    </>
  );
}
