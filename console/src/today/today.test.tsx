import { screen } from "@testing-library/react";
import type { ReactNode } from "react";
import { expect, it, vi } from "vitest";
import { aMove, draw } from "../test-render";
import { DayStrip } from "./DayStrip";
import { NeedsYou } from "./NeedsYou";
import { RunningNow } from "./RunningNow";

vi.mock("@tanstack/react-router", () => ({
  Link: ({ children }: { children: ReactNode }) => <a href="/">{children}</a>,
}));

it("groups what needs a person, names a few and counts the rest", () => {
  const moves = Array.from({ length: 9 }, (_, i) => ({ batch: "crew", account: `p${i}`, name: `Person ${i}` }));
  draw(
    <NeedsYou
      groups={[
        {
          cause: "sign-in-refused",
          what: "the sign-in was refused",
          remedy: "Mend it",
          count: 40,
          moves,
          mend: "secret",
          service: "lanternpost",
        },
      ]}
    />,
  );
  expect(screen.getByRole("heading", { name: "The sign-in was refused" })).toBeVisible();
  expect(screen.getByText("Mend it.")).toBeVisible();
  expect(screen.getAllByRole("link")).toHaveLength(6);
  expect(screen.getByText("and 34 more")).toBeVisible();
  expect(screen.getByRole("button", { name: "New passwords" })).toBeVisible();
  expect(screen.getByRole("button", { name: "Try again" })).toBeVisible();
});

it("says that nothing needs a person", () => {
  draw(<NeedsYou groups={[]} />);
  expect(screen.getByText(/Nothing\./)).toBeVisible();
});

it("does not guess the time left before it can be known", () => {
  const pass = {
    kind: "first" as const,
    startedAt: "2027-02-12T18:00:00Z",
    expected: 200,
    settled: 0,
    octets: 0,
    folder: null,
    perSecond: 0,
    secondsLeft: null,
  };
  draw(<RunningNow moves={[aMove({ condition: "running", pass })]} />);
  expect(screen.getByText("0 of 200")).toBeVisible();
  expect(screen.getByText("…")).toBeVisible();
});

it("puts what comes next on its day, and what is overdue on today", () => {
  const now = Date.now();
  draw(
    <DayStrip
      next={[
        { at: new Date(now - 60_000).toISOString(), batch: "late", what: "next try", moves: 1 },
        { at: new Date(now + 2 * 86_400_000).toISOString(), batch: "later", what: "window opens", moves: 8 },
      ]}
    />,
  );
  const days = screen.getAllByRole("heading");
  expect(days).toHaveLength(7);
  expect(days[0]?.parentElement).toHaveTextContent("late: next try");
  expect(days[2]?.parentElement).toHaveTextContent("later: window opens");
  expect(days[2]?.parentElement).toHaveTextContent("8 people");
});
