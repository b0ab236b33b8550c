import { expect, test } from "vitest";
import { byParcel, PIECE, partOf, sendFile } from "./sending";

test("a file is a part of a parcel by its name", () => {
  expect(partOf("aoife 2026-11-30.zip")).toEqual({ name: "aoife 2026-11-30", part: 1 });
  expect(partOf("aoife 2026-11-30.part-12.ZIP")).toEqual({ name: "aoife 2026-11-30", part: 12 });
  expect(partOf("aoife.part-1.zip")).toEqual({ name: "aoife.part-1", part: 1 });
  expect(partOf("aoife.eml")).toBeNull();
});

test("files are put together by their parcels, in the order of their parts", () => {
  const files = ["b.part-2.zip", "a.zip", "b.part-10.zip", "b.zip", "notes.txt"].map((name) => ({ name }));
  expect([...byParcel(files)].map(([name, parts]) => [name, parts.map((p) => p.name)])).toEqual([
    ["b", ["b.zip", "b.part-2.zip", "b.part-10.zip"]],
    ["a", ["a.zip"]],
  ]);
});

test("a file goes on where it was broken off, piece by piece", async () => {
  const size = PIECE * 2 + 5;
  const file = Object.assign(new Blob([new Uint8Array(size)]), { name: "a.zip" });
  const sent: [number, number][] = [];
  const told: number[] = [];
  await sendFile(
    file,
    10,
    (octets) => told.push(octets),
    async (_, at, length, piece) => {
      expect(length).toBe(size);
      sent.push([at, piece.size]);
      return { file: "a.zip", octets: at + piece.size, changedAt: "" };
    },
  );
  expect(sent).toEqual([
    [10, PIECE],
    [PIECE + 10, PIECE - 5],
  ]);
  expect(told).toEqual([PIECE + 10, size]);
});
