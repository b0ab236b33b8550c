import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { batchQuery } from "../api/queries";
import { foldersQuery, rulesQuery } from "../api/surveyQueries";
import { BatchTabs } from "../batch/BatchTabs";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { PreviewTables } from "./PreviewTables";
import { RuleEditor, type Tried } from "./RuleEditor";

/** Where folders land and which rule said so, and what other rules would do. */
export function FoldersPage() {
  const { batch: name } = useParams({ from: "/batches/$batch/folders" });
  const batch = useQuery(batchQuery(name));
  const preview = useQuery(foldersQuery(name));
  const rules = useQuery({ ...rulesQuery(batch.data?.route ?? ""), enabled: batch.data !== undefined });
  const [tried, setTried] = useState<Tried | null>(null);
  const error = batch.error ?? preview.error ?? rules.error;
  if (error) return <Failure error={error} again={() => void preview.refetch()} />;
  if (!batch.data || !preview.data || !rules.data) return <Loading />;
  return (
    <>
      <header>
        <div className="crumbs">
          <Link to="/batches">Batches</Link>
        </div>
        <h1>{name}</h1>
        <p className="lede">
          Where the folders of {batch.data.from} land at {batch.data.to}. Survey, preview and pass use the same rules.
        </p>
        <BatchTabs batch={name} />
      </header>
      <h2>Rules of the route {batch.data.route}</h2>
      <RuleEditor key={rules.data.rules} batch={name} rules={rules.data} onTried={setTried} />
      <h2>{tried ? "Where folders would land under the rules above" : "Where folders land"}</h2>
      <PreviewTables preview={tried?.preview ?? preview.data} whatIf={tried?.rules ?? null} />
    </>
  );
}
