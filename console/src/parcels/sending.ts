import { sendPiece } from "../api/parcelQueries";

/** Octets that are sent at a time: a lost connection costs at most these. */
export const PIECE = 8 * 1024 * 1024;

const PART = /^(.+)\.part-([1-9][0-9]{0,5})$/;

/** Of which parcel a file is, and which part of it; null: of none. */
export function partOf(file: string): { name: string; part: number } | null {
  if (!file.toLowerCase().endsWith(".zip")) return null;
  const name = file.slice(0, -4);
  const [, of, n] = PART.exec(name) ?? [];
  return of && Number(n) > 1 ? { name: of, part: Number(n) } : { name, part: 1 };
}

/** The files by their parcels, each with its parts in order. */
export function byParcel<T extends { name: string }>(files: readonly T[]): Map<string, T[]> {
  const parcels = new Map<string, { part: number; file: T }[]>();
  for (const file of files) {
    const part = partOf(file.name);
    if (part) parcels.set(part.name, [...(parcels.get(part.name) ?? []), { part: part.part, file }]);
  }
  return new Map([...parcels].map(([name, parts]) => [name, parts.sort((a, b) => a.part - b.part).map((p) => p.file)]));
}

/** Sends a file from where it was broken off. */
export async function sendFile(
  file: Blob & { name: string },
  arrived: number,
  tell: (octets: number) => void,
  send: typeof sendPiece = sendPiece,
): Promise<void> {
  let at = arrived;
  do {
    const piece = file.slice(at, Math.min(at + PIECE, file.size));
    at = (await send(file.name, at, file.size, piece)).octets;
    tell(at);
  } while (at < file.size);
}
