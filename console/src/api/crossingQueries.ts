import { queryOptions } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";
import { followAll } from "./pages";

/** The evening of the crossing, and the time after it. */

/** Of an evening that somebody watches, in milliseconds. */
const LIVE = 2_000;

export const crossingQuery = (batch: string) =>
  queryOptions({
    queryKey: ["crossing", batch],
    queryFn: () => unwrap(api.GET("/api/v1/batches/{batch}/crossing", { params: { path: { batch } } })),
    refetchInterval: LIVE,
  });

export const crossingMovesQuery = (batch: string) =>
  queryOptions({
    queryKey: ["crossing-moves", batch],
    queryFn: () =>
      followAll((cursor, limit) =>
        unwrap(
          api.GET("/api/v1/batches/{batch}/crossing/moves", {
            params: { path: { batch }, query: { cursor, limit } },
          }),
        ),
      ),
    refetchInterval: LIVE,
  });

export const crossingMoveQuery = (batch: string, move: string) =>
  queryOptions({
    queryKey: ["crossing-move", batch, move],
    queryFn: () =>
      unwrap(api.GET("/api/v1/batches/{batch}/crossing/move", { params: { path: { batch }, query: { move } } })),
    refetchInterval: LIVE,
  });

export const askCrossing = (batch: string, body: Schemas["CrossingRequest"]) =>
  unwrap(api.POST("/api/v1/batches/{batch}/crossing", { params: { path: { batch } }, body }));

export const aftercareQuery = (batch: string) =>
  queryOptions({
    queryKey: ["aftercare", batch],
    queryFn: () =>
      followAll((cursor, limit) =>
        unwrap(
          api.GET("/api/v1/batches/{batch}/aftercare", {
            params: { path: { batch }, query: { cursor, limit } },
          }),
        ),
      ),
  });

export const writersQuery = (batch: string) =>
  queryOptions({
    queryKey: ["writers", batch],
    queryFn: () =>
      followAll((cursor, limit) =>
        unwrap(
          api.GET("/api/v1/batches/{batch}/aftercare/writers", {
            params: { path: { batch }, query: { cursor, limit } },
          }),
        ),
      ),
  });

export const correspondentsQuery = (batch: string) =>
  queryOptions({
    queryKey: ["correspondents", batch],
    queryFn: () =>
      followAll((cursor, limit) =>
        unwrap(
          api.GET("/api/v1/batches/{batch}/aftercare/correspondents", {
            params: { path: { batch }, query: { cursor, limit } },
          }),
        ),
      ),
    refetchInterval: 5 * LIVE,
  });

export const askCorrespondents = (batch: string, body: Schemas["CorrespondenceRequest"]) =>
  unwrap(api.POST("/api/v1/batches/{batch}/aftercare/correspondents", { params: { path: { batch } }, body }));
