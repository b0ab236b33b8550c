import { type QueryClient, queryOptions } from "@tanstack/react-query";
import { api, type Move, type Schemas, setAntiforgery, unwrap } from "./client";

const PAGE = 1000;

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

/** Every move of the batch: the table searches and sorts them here. */
export const movesQuery = (batch: string) =>
  queryOptions({
    queryKey: ["moves", batch],
    queryFn: async () => {
      const all: Move[] = [];
      let cursor: string | undefined;
      do {
        const page: Schemas["PageOfMoveView"] = await unwrap(
          api.GET("/api/v1/batches/{batch}/moves", { params: { path: { batch }, query: { limit: PAGE, cursor } } }),
        );
        all.push(...page.items);
        cursor = page.next ?? undefined;
      } while (cursor);
      return all;
    },
    staleTime: 30_000,
  });

export const moveQuery = (batch: string, account: string) =>
  queryOptions({
    queryKey: ["move", batch, account],
    queryFn: () => unwrap(api.GET("/api/v1/batches/{batch}/moves/{account}", { params: { path: { batch, account } } })),
  });

export const journalQuery = (batch?: string, account?: string) =>
  queryOptions({
    queryKey: ["journal", batch ?? "", account ?? ""],
    queryFn: () => unwrap(api.GET("/api/v1/journal", { params: { query: { batch, account, limit: 500 } } })),
  });

export type ActionName = Schemas["MoveAction"];

export function act(batch: string, action: ActionName, moves: string[] | null) {
  return unwrap(api.POST("/api/v1/batches/{batch}/actions", { params: { path: { batch } }, body: { action, moves } }));
}

export function decide(batch: string, accept: boolean, moves: string[] | null, items: number[] | null) {
  return unwrap(
    api.POST("/api/v1/batches/{batch}/left-behind", {
      params: { path: { batch } },
      body: { accept, moves, items },
    }),
  );
}

export function decideDifferences(batch: string, body: Schemas["DifferencesDecision"]) {
  return unwrap(api.POST("/api/v1/batches/{batch}/differences", { params: { path: { batch } }, body }));
}

export function compare(batch: string, body: Schemas["ComparisonRequest"]) {
  return unwrap(api.POST("/api/v1/batches/{batch}/comparison", { params: { path: { batch } }, body }));
}

/** Puts moves that changed into the tables that show them, without asking for the whole table again. */
export function mergeMoves(client: QueryClient, changed: Move[]) {
  for (const batch of new Set(changed.map((m) => m.batch))) {
    const own = new Map(changed.filter((m) => m.batch === batch).map((m) => [m.account, m]));
    client.setQueryData<Move[]>(["moves", batch], (old) => old?.map((m) => own.get(m.account) ?? m));
  }
}
