import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { folderLines } from "./folderLines";

const sums = (from: string, to: string | null, found = 3): Schemas["FolderView"] => ({
  kind: "mail",
  from,
  to,
  counts: { found, carried: found, paired: 0, excluded: 0, leftBehind: 0 },
  gone: 0,
  missing: 0,
  twice: 0,
  altered: 0,
  undecided: 0,
  octets: 9,
  closes: true,
});

const landing = (from: string, to: string | null, rule = "same name"): Schemas["LandingView"] => ({
  from,
  use: null,
  messages: 7,
  carryMessages: 7,
  carryOctets: 70,
  to,
  rule,
  note: null,
});

describe("the folders of a move", () => {
  it("are one line each, with the rule and the sums", () => {
    const lines = folderLines([sums("Projects", "Work")], [landing("Projects", "Work", "rule 2")]);
    expect(lines).toHaveLength(1);
    expect(lines[0]).toMatchObject({ from: "Projects", to: "Work", rule: "rule 2", found: 3 });
    expect(lines[0]?.sums?.closes).toBe(true);
  });

  it("are those of the survey before any pass, the inbox first, and a rule that nobody wrote is not told", () => {
    const lines = folderLines([], [landing("Archive", "Archive"), landing("INBOX", "INBOX"), landing("Spam", null)]);
    expect(lines.map((l) => [l.from, l.to, l.rule, l.found, l.sums])).toEqual([
      ["INBOX", "INBOX", null, 7, null],
      ["Archive", "Archive", null, 7, null],
      ["Spam", null, null, 7, null],
    ]);
  });

  it("show beside where one landed where other rules send it now", () => {
    const lines = folderLines([sums("Projects", "Projects")], [landing("Projects", "Work", "rule 1")]);
    expect(lines.map((l) => [l.to, l.rule, l.sums !== null])).toEqual([
      ["Projects", null, true],
      ["Work", "rule 1", false],
    ]);
  });
});
