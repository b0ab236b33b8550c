import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { foldersQuery, rulesQuery } from "../api/surveyQueries";

/** A route with its folder rules, and what they do for one of its batches. */
export function RouteCard({ batch }: { batch: Schemas["PlanBatch"] }) {
  const rules = useQuery(rulesQuery(batch.route));
  const preview = useQuery(foldersQuery(batch.name));
  return (
    <section className="sheet padded stack" aria-label={batch.route}>
      <div className="row spread">
        <h3 style={{ margin: 0 }}>{batch.route}</h3>
        <span className="soft">
          {batch.from} → {batch.to}
        </span>
      </div>
      <pre style={{ margin: 0, whiteSpace: "pre-wrap", fontSize: 13.5 }}>
        {rules.data?.rules || "No folder rules: every folder lands under its own name or use."}
      </pre>
      {preview.data && preview.data.surveyed > 0 && (
        <div>
          {batch.name}: {preview.data.summary}.
        </div>
      )}
      <Link to="/batches/$batch/folders" params={{ batch: batch.name }}>
        Change the rules, and see what they would do
      </Link>
    </section>
  );
}
