import { describe, expect, it } from "vitest";
import { duration, durationRange, number, plural, relative, size } from "./format";

describe("what people read", () => {
  it.each([
    [0, "0 B"],
    [999, "999 B"],
    [46_000, "46 kB"],
    [25_000_000, "25.0 MB"],
    [2_100_000_000, "2.1 GB"],
  ])("writes %d octets as %s", (octets, text) => expect(size(octets)).toBe(text));

  it.each([
    [12, "12 s"],
    [89, "89 s"],
    [120, "2 min"],
    [3 * 3600, "3.0 h"],
    [3 * 86400, "3.0 days"],
  ])("writes %d seconds as %s", (s, text) => expect(duration(s)).toBe(text));

  it("writes a range once where both ends read alike", () => {
    expect(durationRange(61, 600)).toBe("61 s to 10 min");
    expect(durationRange(0.9, 1.2)).toBe("1 s");
  });

  it("says how far a time is, in both directions", () => {
    const now = Date.parse("2027-02-12T18:00:00Z");
    expect(relative("2027-02-12T21:00:00Z", now)).toBe("in 3.0 h");
    expect(relative("2027-02-12T17:55:00Z", now)).toBe("5 min ago");
    expect(relative("2027-02-12T18:00:01Z", now)).toBe("now");
  });

  it("groups thousands and counts in words", () => {
    expect(number(50_000)).toBe("50,000");
    expect(plural(1, "message")).toBe("1 message");
    expect(plural(2, "person", "people")).toBe("2 people");
  });
});
