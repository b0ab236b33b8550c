import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";

/** When batches may run, ran, and will run; and what people mend meanwhile. */

/** Forecasts and strips go stale by themselves while time passes, in milliseconds. */
const STALE = 60_000;

export const timetableQuery = (batch: string) =>
  queryOptions({
    queryKey: ["timetable", batch],
    queryFn: () =>
      unwrap(
        api.GET("/api/v1/batches/{batch}/timetable", { params: { path: { batch }, query: { past: 7, ahead: 28 } } }),
      ),
    refetchInterval: STALE,
  });

export const forecastQuery = (batch: string, whatIf: string[]) =>
  queryOptions({
    queryKey: ["forecast", batch, whatIf],
    queryFn: () =>
      unwrap(
        api.GET("/api/v1/batches/{batch}/forecast", { params: { path: { batch }, query: { whatIf, limit: 10 } } }),
      ),
    refetchInterval: STALE,
    placeholderData: keepPreviousData,
  });

export const historyQuery = (batch: string) =>
  queryOptions({
    queryKey: ["history", batch],
    queryFn: () => unwrap(api.GET("/api/v1/batches/{batch}/history", { params: { path: { batch } } })),
    refetchInterval: STALE,
  });

export const setSecrets = (batch: string, body: Schemas["SecretsRequest"]) =>
  unwrap(api.POST("/api/v1/batches/{batch}/secrets", { params: { path: { batch } }, body }));

export const rememberLooked = () => unwrap(api.POST("/api/v1/today/looked"));
