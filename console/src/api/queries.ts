import { infiniteQueryOptions, type QueryClient, queryOptions } from "@tanstack/react-query";
import type { Filters } from "../batch/filters";
import { api, type Move, type Schemas, setAntiforgery, unwrap } from "./client";
import type { FetchPage, PageOf } from "./pages";

export const sessionQuery = queryOptions({
  queryKey: ["session"],
  queryFn: async () => {
    const session = await unwrap(api.GET("/api/v1/session"));
    setAntiforgery(session.antiforgery);
    return session;
  },
  retry: false,
  staleTime: Number.POSITIVE_INFINITY,
});

export const todayQuery = queryOptions({ queryKey: ["today"], queryFn: () => unwrap(api.GET("/api/v1/today")) });

export const batchesQuery = queryOptions({ queryKey: ["batches"], queryFn: () => unwrap(api.GET("/api/v1/batches")) });

export const servicesQuery = queryOptions({
  queryKey: ["services"],
  queryFn: () => unwrap(api.GET("/api/v1/services")),
});

export const batchQuery = (batch: string) =>
  queryOptions({
    queryKey: ["batch", batch],
    queryFn: () => unwrap(api.GET("/api/v1/batches/{batch}", { params: { path: { batch } } })),
  });

/** Pages of moves for one set of filters and one order, both taken from the address. */
export const movesKey = (batch: string, filters: Filters) => ["moves", batch, filters] as const;

export const fetchMoves =
  (batch: string, { search, stage, condition, needsYou, sort, down }: Filters): FetchPage<Move> =>
  (skip, limit) =>
    unwrap(
      api.GET("/api/v1/batches/{batch}/moves", {
        params: {
          path: { batch },
          query: { skip, limit, search, stage, condition, needsYou, sort, descending: down },
        },
      }),
    );

export const moveQuery = (batch: string, account: string) =>
  queryOptions({
    queryKey: ["move", batch, account],
    queryFn: () => unwrap(api.GET("/api/v1/batches/{batch}/moves/{account}", { params: { path: { batch, account } } })),
  });

/** The newest first; older entries page by page. */
export const journalQuery = (of: { batch?: string; account?: string; search?: string }) =>
  infiniteQueryOptions({
    queryKey: ["journal", of],
    queryFn: ({ pageParam }) =>
      unwrap(api.GET("/api/v1/journal", { params: { query: { ...of, cursor: pageParam, limit: 200 } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
  });

export type ActionName = Schemas["MoveAction"];

export interface Asked {
  name: ActionName;
  /** From accounts; null: everybody. */
  moves: string[] | null;
  /** Of those, only who fits; null: all. */
  where?: Schemas["MoveFilter"] | null;
}

export function act(batch: string, { name, moves, where = null }: Asked) {
  return unwrap(
    api.POST("/api/v1/batches/{batch}/actions", {
      params: { path: { batch } },
      body: { action: name, moves, where },
    }),
  );
}

export function decide(
  batch: string,
  accept: boolean,
  moves: string[] | null,
  items: number[] | null,
  keep: Schemas["VersionWord"] | null = null,
) {
  return unwrap(
    api.POST("/api/v1/batches/{batch}/left-behind", {
      params: { path: { batch } },
      body: { accept, moves, items, keep },
    }),
  );
}

export function decideDifferences(batch: string, body: Schemas["DifferencesDecision"]) {
  return unwrap(api.POST("/api/v1/batches/{batch}/differences", { params: { path: { batch } }, body }));
}

export function compare(batch: string, body: Schemas["ComparisonRequest"]) {
  return unwrap(api.POST("/api/v1/batches/{batch}/comparison", { params: { path: { batch } }, body }));
}

/** Updates changed moves in the cached pages, so that the tables need not be fetched again. */
export function mergeMoves(client: QueryClient, changed: Move[]) {
  for (const batch of new Set(changed.map((m) => m.batch))) {
    const own = new Map(changed.filter((m) => m.batch === batch).map((m) => [m.account, m]));
    client.setQueriesData<PageOf<Move>>(
      { queryKey: ["moves", batch] },
      (old) => old && { ...old, items: old.items.map((m) => own.get(m.account) ?? m) },
    );
  }
}
