import { queryOptions } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";

export type Token = Schemas["TokenView"];
export type TokenMade = Schemas["TokenMade"];

export const tokensQuery = queryOptions({
  queryKey: ["tokens"],
  queryFn: () => unwrap(api.GET("/api/v1/tokens")),
});

/** @param days After how many days it ends; null: it has no end. */
export const makeToken = (name: string, days: number | null) =>
  unwrap(api.POST("/api/v1/tokens", { body: { name, days } }));

export const revokeToken = (token: string) =>
  unwrap(api.DELETE("/api/v1/tokens/{token}", { params: { path: { token } } }));
