import { expect, it } from "vitest";
import { type Crossing, isShut, probeWords, stepWords } from "./words";

const gate = { gate: "informed", facts: "", remedy: null, acceptedBy: null, acceptedBecause: null } as const;

const person = (more: Partial<Crossing>) =>
  ({ stage: "in-step", step: "gates", goal: "check", gates: [], ...more }) as Crossing;

const probe = {
  way: "outside",
  sender: "desk@northquay.example",
  state: "sent",
  plannedAt: "2027-02-12T18:00:00Z",
  sentAt: null,
  arrivedAt: null,
  folder: null,
  keptAt: null,
  removedAt: null,
  said: null,
} as const;

it("takes an amber gate for shut until somebody accepts it, and a red one always", () => {
  expect(isShut({ ...gate, colour: "green", acceptedAt: null })).toBe(false);
  expect(isShut({ ...gate, colour: "amber", acceptedAt: null })).toBe(true);
  expect(isShut({ ...gate, colour: "amber", acceptedAt: "2027-02-12T18:00:00Z" })).toBe(false);
  expect(isShut({ ...gate, colour: "red", acceptedAt: null })).toBe(true);
});

it("says where a person is, and tells what was undone from what was only looked at", () => {
  expect(stepWords(person({ step: null }))).toBe("Not looked at yet");
  expect(stepWords(person({}))).toBe("Gates open");
  expect(stepWords(person({ gates: [{ ...gate, colour: "red", acceptedAt: null }] }))).toBe("Gates shut");
  expect(stepWords(person({ goal: "undo" }))).toBe("Undone");
  expect(stepWords(person({ goal: "cross", step: "close", stage: "crossing" }))).toBe("Closing pass");
  expect(stepWords(person({ stage: "done", step: "end" }))).toBe("Done");
});

it("runs a clock while a probe is on its way, and stops it when it came", () => {
  const now = new Date("2027-02-12T18:00:42Z").getTime();
  expect(probeWords(probe, now)).toBe("on its way, 42 s");
  expect(probeWords({ ...probe, state: "arrived", arrivedAt: "2027-02-12T18:00:03.4Z" }, now)).toBe("arrived, 3.4 s");
  expect(probeWords({ ...probe, state: "late" }, now + 200_000)).toBe("late, 4 min");
  expect(probeWords({ ...probe, state: "missing" }, now)).toBe("missing");
});
