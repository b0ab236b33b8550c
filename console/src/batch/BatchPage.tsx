import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import type { Stage } from "../api/client";
import { batchQuery, movesQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { KindTable } from "../parts/KindTable";
import { Loading } from "../parts/Loading";
import { BatchTabs } from "./BatchTabs";
import { MovesTable } from "./MovesTable";
import { StageBar } from "./StageBar";

export function BatchPage() {
  const { batch: name } = useParams({ from: "/batches/$batch" });
  const batch = useQuery(batchQuery(name));
  const moves = useQuery(movesQuery(name));
  const [stage, setStage] = useState<Stage | null>(null);
  const error = batch.error ?? moves.error;
  if (error) return <Failure error={error} again={() => void Promise.all([batch.refetch(), moves.refetch()])} />;
  if (!batch.data || !moves.data) return <Loading />;
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
        <StageBar batch={data} chosen={stage} onChoose={setStage} />
        <div>
          <strong>{data.doing}</strong>
        </div>
        <KindTable kinds={data.kinds} />
      </div>
      <h2>People</h2>
      <MovesTable batch={name} moves={moves.data} stage={stage} />
    </>
  );
}
