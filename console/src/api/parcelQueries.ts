import { infiniteQueryOptions, queryOptions } from "@tanstack/react-query";
import { ApiError, api, type Kind, type Schemas, unwrap } from "./client";

export type Parcel = Schemas["ParcelView"];
export type Errand = Schemas["ErrandView"];
export type ParcelItem = Schemas["ParcelItemView"];
/** A calendar and an address book may have the same name. */
export type FolderRef = Pick<Schemas["ParcelFolderView"], "kind" | "name">;

/** Which parcel, and with which password it is read; null: it is not encrypted. */
export interface Look {
  place: string;
  name: string;
  password: string | null;
  /** As it was then; null: as it is. */
  asOf: string | null;
}

/** A parcel is encrypted, and was not opened by the password that was given, or by none. */
export const wantsPassword = (error: unknown) => error instanceof ApiError && error.word === "sign-in-refused";

/** Where parcels lie unless somebody says otherwise. */
export const USUAL_PLACE = "parcels";

export const parcelsQuery = queryOptions({
  queryKey: ["parcels"],
  queryFn: () => unwrap(api.GET("/api/v1/parcels")),
});

export const errandsQuery = queryOptions({
  queryKey: ["parcels", "errands"],
  queryFn: () => unwrap(api.GET("/api/v1/errands")),
});

export const arrivingQuery = queryOptions({
  queryKey: ["parcels", "arriving"],
  queryFn: () => unwrap(api.GET("/api/v1/parcels/arriving", { params: { query: { place: USUAL_PLACE } } })),
});

// What is in a parcel does not change while somebody looks: the keys are not among those that events make stale.
export const contentsQuery = (look: Look) =>
  queryOptions({
    queryKey: ["parcel-contents", look],
    queryFn: () => unwrap(api.POST("/api/v1/parcels/contents", { body: look })),
    retry: false,
  });

export interface ItemSearch {
  kind: Kind | null;
  folder: string | null;
  from: string | null;
  subject: string | null;
  since: string | null;
  before: string | null;
}

export const itemsQuery = (look: Look, search: ItemSearch) =>
  infiniteQueryOptions({
    queryKey: ["parcel-items", look, search],
    queryFn: ({ pageParam }) =>
      unwrap(api.POST("/api/v1/parcels/items", { body: { ...look, ...search, cursor: pageParam, limit: 200 } })),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next ?? undefined,
  });

export const textQuery = ({ place, name, password }: Look, file: string, path: string) =>
  queryOptions({
    queryKey: ["parcel-text", place, name, file, path],
    queryFn: () => unwrap(api.POST("/api/v1/parcels/text", { body: { place, name, password, file, path } })),
  });

export const pack = (body: Schemas["PackRequest"]) => unwrap(api.POST("/api/v1/parcels/pack", { body }));

export const open = (body: Schemas["OpenRequest"]) => unwrap(api.POST("/api/v1/parcels/open", { body }));

export const deleteParcel = (place: string, parcel: string) =>
  unwrap(api.DELETE("/api/v1/parcels/{parcel}", { params: { path: { parcel }, query: { place } } }));

export const keepParcel = (place: string, parcel: string, until: string | null) =>
  unwrap(api.PUT("/api/v1/parcels/{parcel}/keep", { params: { path: { parcel }, query: { place } }, body: { until } }));

export const removeErrand = (errand: string) =>
  unwrap(api.DELETE("/api/v1/errands/{errand}", { params: { path: { errand } } }));

export const giveUp = (part: string) =>
  unwrap(api.DELETE("/api/v1/parcels/arriving", { params: { query: { place: USUAL_PLACE, part } } }));

export const sendPiece = (part: string, at: number, length: number, piece: Blob) =>
  unwrap(
    api.PUT("/api/v1/parcels/arriving", {
      params: { query: { place: USUAL_PLACE, part, at, length } },
      body: piece as never,
      bodySerializer: (body: unknown) => body as BodyInit,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );

export const takeArrived = (name: string, password: string | null) =>
  unwrap(api.POST("/api/v1/parcels/arrived", { body: { place: USUAL_PLACE, name, password } }));

/** The page of an encrypted parcel, as text. */
export const coverOf = (look: Look) => unwrap(api.POST("/api/v1/parcels/cover", { body: look, parseAs: "text" }));

const query = (values: Record<string, string>) => new URLSearchParams(values).toString();

export const fileAddress = (place: string, part: string) => `/api/v1/parcels/file?${query({ place, part })}`;

export const coverAddress = (place: string, parcel: string) => `/api/v1/parcels/cover?${query({ place, parcel })}`;
