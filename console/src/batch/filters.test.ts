import { describe, expect, it } from "vitest";
import { isFiltered, readFilters, sortOf, whereOf } from "./filters";

describe("the filters of an address", () => {
  it("are its known words", () => {
    const filters = readFilters({ search: "weir", stage: "in-step", condition: "held", sort: "octets", down: true });
    expect(filters).toEqual({ search: "weir", stage: "in-step", condition: "held", sort: "octets", down: true });
    expect(sortOf(filters)).toEqual({ by: "octets", down: true });
    expect(whereOf(filters)).toEqual({ search: "weir", stage: "in-step", condition: "held", needsYou: false });
  });

  it("leave out what means nothing, whoever wrote it", () => {
    const filters = readFilters({ search: "", stage: "asleep", condition: 3, sort: "constructor", down: true, x: "y" });
    expect(Object.values(filters).filter((v) => v !== undefined)).toEqual([]);
    expect(sortOf(filters)).toBeNull();
    expect(isFiltered(filters)).toBe(false);
  });

  it("take a number for the words that it is", () => {
    expect(readFilters({ search: 2999 }).search).toBe("2999");
  });
});
