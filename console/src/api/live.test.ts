import { describe, expect, it } from "vitest";
import { concerns } from "./live";

const crew = new Set(["crew"]);
const aoife = new Set(["aoife@saltmarsh.example"]);

describe("what an event concerns", () => {
  it.each([
    [["today"], true],
    [["batches"], true],
    [["journal", {}], true],
    [["batch", "crew"], true],
    [["moves", "crew", {}, 0], true],
    [["findings", "crew"], true],
    [["move", "crew", "aoife@saltmarsh.example"], true],
    [["move", "crew", "rory@saltmarsh.example"], false],
    [["batch", "office"], false],
    [["moves", "office", {}, 0], false],
    [["plan"], false],
    [["session"], false],
    [["rules", "crew"], false],
  ])("%j: %s", (key, expected) => expect(concerns(key, crew, aoife)).toBe(expected));

  it("is every move of the batch where nobody is named", () =>
    expect(concerns(["move", "crew", "rory@saltmarsh.example"], crew)).toBe(true));
});
