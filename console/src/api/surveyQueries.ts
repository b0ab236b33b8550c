import { queryOptions } from "@tanstack/react-query";
import type { Sort } from "../parts/Grid";
import type { SurveyAddress } from "../survey/address";
import { api, type Schemas, unwrap } from "./client";
import type { FetchPage } from "./pages";

/** What is known before anything moves. */

export const surveyQuery = (batch: string) =>
  queryOptions({
    queryKey: ["survey", batch],
    queryFn: () => unwrap(api.GET("/api/v1/batches/{batch}/survey", { params: { path: { batch } } })),
  });

type Account = Schemas["AccountInventory"];
type Row = Schemas["FindingRow"];

export const inventoryKey = (batch: string, of: SurveyAddress) =>
  ["inventory", batch, "everybody", of.search, of.sort, of.down] as const;

export const fetchInventory =
  (batch: string, { search, sort, down }: SurveyAddress): FetchPage<Account> =>
  (skip, limit) =>
    unwrap(
      api.GET("/api/v1/batches/{batch}/inventory", {
        params: { path: { batch }, query: { skip, limit, search, sort, descending: down } },
      }),
    );

/** The inventory of one person; null where there was no survey yet. */
export const personQuery = (batch: string, account: string) =>
  queryOptions({
    queryKey: ["inventory", batch, account],
    queryFn: async () => {
      const answer = await api.GET("/api/v1/batches/{batch}/inventory/{account}", {
        params: { path: { batch, account } },
      });
      return answer.response.status === 404 ? null : unwrap(Promise.resolve(answer));
    },
  });

export const findingsQuery = (batch: string) =>
  queryOptions({
    queryKey: ["findings", batch],
    queryFn: () => unwrap(api.GET("/api/v1/batches/{batch}/findings", { params: { path: { batch } } })),
  });

export const findingRowsKey = (batch: string, code: string, search: string) =>
  ["findings", batch, code, search] as const;

export const fetchFindingRows =
  (batch: string, code: string, search: string): FetchPage<Row> =>
  (skip, limit) =>
    unwrap(
      api.GET("/api/v1/batches/{batch}/findings/rows", {
        params: { path: { batch }, query: { code, search, skip, limit } },
      }),
    );

export const tidyingQuery = (batch: string) =>
  queryOptions({
    queryKey: ["tidying", batch],
    queryFn: () => unwrap(api.GET("/api/v1/batches/{batch}/tidying", { params: { path: { batch } } })),
  });

export const estimateQuery = (batch: string) =>
  queryOptions({
    queryKey: ["estimate", batch],
    queryFn: () => fetchEstimate(batch, 0, SLOWEST),
  });

/** Moves of an estimate that are drawn. */
const SLOWEST = 12;

const fetchEstimate = (batch: string, skip: number, limit: number) =>
  unwrap(api.GET("/api/v1/batches/{batch}/estimate", { params: { path: { batch }, query: { skip, limit } } }));

/** All moves of the estimate, those that take the longest first. */
export const fetchEstimates =
  (batch: string): FetchPage<Schemas["MoveEstimateView"]> =>
  async (skip, limit) =>
    (await fetchEstimate(batch, skip, limit)).moves;

/** What the folder rules in force do: for one person folder by folder, else in sum. */
export const foldersQuery = (batch: string, move?: string) =>
  queryOptions({
    queryKey: ["folders", batch, move ?? ""],
    queryFn: () =>
      unwrap(api.GET("/api/v1/batches/{batch}/folders", { params: { path: { batch }, query: { move, limit: 1 } } })),
  });

/** The people of a preview, under the rules in force or under others. */
export const fetchPreviewed =
  (batch: string, whatIf: string | null, sort: Sort | null): FetchPage<Schemas["PersonPreview"]> =>
  async (skip, limit) => {
    const query = { skip, limit, sort: sort?.by as Schemas["PreviewOrder"] | undefined, descending: sort?.down };
    const params = { path: { batch }, query };
    const preview =
      whatIf === null
        ? api.GET("/api/v1/batches/{batch}/folders", { params })
        : api.POST("/api/v1/batches/{batch}/folders", { params, body: { rules: whatIf, before: null } });
    return (await unwrap(preview)).people;
  };

export const rulesQuery = (route: string) =>
  queryOptions({
    queryKey: ["rules", route],
    queryFn: () => unwrap(api.GET("/api/v1/routes/{route}/folders", { params: { path: { route } } })),
  });

export const planQuery = queryOptions({ queryKey: ["plan"], queryFn: () => unwrap(api.GET("/api/v1/plan")) });

export function choose(batch: string, decision: Schemas["DecisionRequest"]) {
  return unwrap(api.POST("/api/v1/batches/{batch}/decisions", { params: { path: { batch } }, body: decision }));
}

export function tryRules(batch: string, rules: string, move?: string) {
  return unwrap(
    api.POST("/api/v1/batches/{batch}/folders", {
      params: { path: { batch }, query: { move, limit: 1 } },
      body: { rules, before: null },
    }),
  );
}

/** The service refuses the change if the rules are no longer those given as before. */
export function setRules(route: string, rules: string, before: string) {
  return unwrap(api.PUT("/api/v1/routes/{route}/folders", { params: { path: { route } }, body: { rules, before } }));
}
