import { queryOptions } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";

/** Address books, calendars, and the files in which contacts and events were handed over. */

type Fetch<T> = (cursor?: string) => Promise<{ items: T[]; next?: string | null }>;

/** Rows that a page can still be searched and sorted in. */
const MOST = 20_000;

/** All rows, or as many as a page bears. */
async function many<T>(fetch: Fetch<T>): Promise<{ items: T[]; isCut: boolean }> {
  const items: T[] = [];
  let cursor: string | undefined;
  do {
    const page = await fetch(cursor);
    items.push(...page.items);
    cursor = page.next ?? undefined;
  } while (cursor && items.length < MOST);
  return { items, isCut: cursor !== undefined };
}

export const collectionsQuery = (batch: string) =>
  queryOptions({
    queryKey: ["collections", batch],
    queryFn: () =>
      many((cursor) =>
        unwrap(
          api.GET("/api/v1/batches/{batch}/collections", {
            params: { path: { batch }, query: { cursor, limit: 1000 } },
          }),
        ),
      ),
  });

export const forecastQuery = (batch: string, move?: string, only?: Schemas["ItemForecastWord"]) =>
  queryOptions({
    queryKey: ["collections", batch, "items", move ?? "", only ?? ""],
    queryFn: () =>
      many((cursor) =>
        unwrap(
          api.GET("/api/v1/batches/{batch}/preview", {
            params: { path: { batch }, query: { move, only, cursor, limit: 200 } },
          }),
        ),
      ),
  });

export const formsQuery = (batch: string, item: number) =>
  queryOptions({
    queryKey: ["forms", batch, item],
    queryFn: () =>
      unwrap(api.GET("/api/v1/batches/{batch}/left-behind/{item}/forms", { params: { path: { batch, item } } })),
  });

export const filesQuery = queryOptions({
  queryKey: ["plan", "files"],
  queryFn: async () =>
    (await many((cursor) => unwrap(api.GET("/api/v1/files", { params: { query: { cursor, limit: 1000 } } })))).items,
});

export const fileReadingQuery = (name: string) =>
  queryOptions({
    queryKey: ["plan", "files", name],
    queryFn: () => unwrap(api.GET("/api/v1/files/reading", { params: { query: { file: name } } })),
  });

export function chooseColumns(name: string, columns: Record<string, string>) {
  return unwrap(api.PUT("/api/v1/files/columns", { params: { query: { file: name } }, body: { columns } }));
}

/** As it is, octet by octet: the service finds out how it is encoded. */
export function handOver(name: string, file: File) {
  return unwrap(
    api.PUT("/api/v1/files", {
      params: { query: { file: name } },
      body: file as never,
      bodySerializer: (body: unknown) => body as BodyInit,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );
}
