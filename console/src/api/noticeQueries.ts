import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { ApiError, api, type Schemas, unwrap } from "./client";

/** Whom the service told of what, and moves that are taken back. */

export const noticesQuery = (of: { search?: string; state?: Schemas["NoticeStateWord"] }) =>
  infiniteQueryOptions({
    queryKey: ["notices", of],
    queryFn: ({ pageParam }) =>
      unwrap(api.GET("/api/v1/notices", { params: { query: { ...of, cursor: pageParam, limit: 200 } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    refetchInterval: 10_000,
  });

export const noticeSettingsQuery = queryOptions({
  queryKey: ["notices", "settings"],
  queryFn: () => unwrap(api.GET("/api/v1/notices/settings")),
  refetchInterval: 10_000,
});

export const previewQuery = (about: Schemas["NoticeAbout"], language: string | undefined) =>
  queryOptions({
    queryKey: ["notices", "preview", about, language],
    queryFn: () => unwrap(api.GET("/api/v1/notices/preview", { params: { query: { about, language } } })),
  });

export const switchNotices = (body: Schemas["NoticeSwitch"]) => unwrap(api.POST("/api/v1/notices/switch", { body }));

export const sendAgain = (ids: number[]) => unwrap(api.POST("/api/v1/notices/again", { body: { ids } }));

export const sendTest = (body: Schemas["NoticeTest"]) => unwrap(api.POST("/api/v1/notices/test", { body }));

/** Null where nobody has asked for it. */
export const takeBackQuery = (batch: string, move: string) =>
  queryOptions({
    queryKey: ["take-back", batch, move],
    queryFn: async () => {
      try {
        return await unwrap(
          api.GET("/api/v1/batches/{batch}/take-back", { params: { path: { batch }, query: { move } } }),
        );
      } catch (error) {
        if (error instanceof ApiError && error.status === 404) return null;
        throw error;
      }
    },
    refetchInterval: (query) => (query.state.data && !query.state.data.endedAt ? 1000 : false),
  });

export const keptQuery = (batch: string, move: string) =>
  queryOptions({
    queryKey: ["take-back", batch, move, "kept"],
    queryFn: () =>
      unwrap(
        api.GET("/api/v1/batches/{batch}/take-back/kept", { params: { path: { batch }, query: { move, limit: 200 } } }),
      ),
  });

export const takeBack = (batch: string, body: Schemas["TakeBackRequest"]) =>
  unwrap(api.POST("/api/v1/batches/{batch}/take-back", { params: { path: { batch } }, body }));
