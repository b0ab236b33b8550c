import { USUAL_PLACE } from "../api/parcelQueries";

/** Which parcel is looked into, as it stands in the address. */
export const readParcel = (address: Record<string, unknown>): { place: string; name: string } => ({
  place: typeof address.place === "string" ? address.place : USUAL_PLACE,
  // A name that looks like a number is read as one.
  name: `${address.name ?? ""}`,
});
