import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Comparison, Difference, LeftBehind } from "../api/client";
import { KindTable } from "../parts/KindTable";
import { aLeg, aMove, draw } from "../test-render";
import { ComparisonBox } from "./ComparisonBox";
import { DifferenceList } from "./DifferenceList";
import { FoldersTable } from "./FoldersTable";
import { LeftBehindList } from "./LeftBehindList";
import { LegState } from "./LegState";
import { MoveActions } from "./MoveActions";
import { PassesTable } from "./PassesTable";
import { Road } from "./Road";
import { WhereItStands } from "./WhereItStands";

afterEach(() => vi.unstubAllGlobals());

describe("the road", () => {
  it("says where the person stands and what is passed, by more than colour", () => {
    draw(<Road stage="in-step" surveyed={false} />);
    expect(screen.getByText("In step").closest("li")).toHaveAttribute("aria-current", "step");
    expect(screen.getByText("Copying").closest("li")).toHaveTextContent("(passed)");
    expect(screen.getByText("Done").closest("li")).not.toHaveTextContent("(passed)");
  });

  it("does not claim a survey that never was", () => {
    draw(<Road stage="copying" surveyed={false} />);
    expect(screen.queryByText("Surveyed")).toBeNull();
  });

  it("ends where somebody was withdrawn", () => {
    draw(<Road stage="withdrawn" surveyed={false} />);
    expect(screen.getByText(/Withdrawn from the move/)).toBeVisible();
  });
});

it("tells how far a running pass is, and what is left of it", () => {
  const pass = {
    kind: "first" as const,
    startedAt: "2027-02-12T18:00:00Z",
    expected: 200,
    settled: 50,
    octets: 2_000_000,
    folder: "INBOX",
    perSecond: 10,
    secondsLeft: 15,
  };
  draw(<WhereItStands move={aMove({ condition: "running", conditionText: "first pass running", pass })} />);
  expect(screen.getByRole("progressbar")).toHaveAttribute("aria-valuenow", "25");
  expect(screen.getByText(/50 of 200 · 2.0 MB · 10.0 a second · 15 s left/)).toBeVisible();
});

it("offers what the service says is possible now, and leaving for good only in the batch", () => {
  draw(<MoveActions move={aMove({ actions: ["survey", "start", "hold", "withdraw"] })} />);
  expect(screen.queryAllByRole("button").map((b) => b.textContent)).toEqual(["Start", "Look (survey)", "Hold"]);
});

const item: LeftBehind = {
  id: 7,
  batch: "crew",
  account: "aoife@saltmarsh.example",
  folder: "INBOX",
  subject: "Survey drawings",
  sender: "desk@saltmarsh.example",
  received: "2024-07-24T06:30:00Z",
  size: 432_000,
  messages: 1,
  problem: {
    cause: "message-too-large",
    whom: "x",
    what: "a message is too large",
    remedy: "Raise the limit",
    code: null,
  },
  state: "open",
  acceptedBy: null,
  acceptedBecause: null,
  kind: "mail",
  hasForms: false,
  choices: [],
};

describe("what was left behind", () => {
  it("is shown with the reason and the remedy", () => {
    draw(<LeftBehindList batch="crew" items={[item]} />);
    expect(screen.getByText("Survey drawings")).toBeVisible();
    expect(screen.getByText(/A message is too large/)).toHaveTextContent("Raise the limit.");
  });

  it("is accepted item by item", async () => {
    const fetch = vi.fn(async (_: Request) => Response.json({ items: 1, moves: 1 }));
    vi.stubGlobal("fetch", fetch);
    draw(<LeftBehindList batch="crew" items={[item]} />);
    await userEvent.click(screen.getByRole("button", { name: "Accept" }));
    expect(await fetch.mock.calls[0]?.[0].json()).toEqual({
      accept: true,
      moves: [item.account],
      items: [7],
      keep: null,
    });
  });

  it("offers the versions of a contact that was edited on both sides, and without a date tells none", async () => {
    const fetch = vi.fn(async (_: Request) => Response.json({ items: 1, moves: 1 }));
    vi.stubGlobal("fetch", fetch);
    draw(
      <LeftBehindList batch="crew" items={[{ ...item, kind: "contacts", received: null, choices: ["new", "both"] }]} />,
    );
    expect(screen.getAllByRole("button").map((b) => b.textContent)).toEqual([
      "Keep the new side's",
      "Have both",
      "Try again",
      "Accept",
    ]);
    expect(screen.getByText("desk@saltmarsh.example")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Have both" }));
    expect(await fetch.mock.calls[0]?.[0].json()).toMatchObject({ accept: false, items: [7], keep: "both" });
  });

  it("names who accepted it", () => {
    draw(<LeftBehindList batch="crew" items={[{ ...item, state: "accepted", acceptedBy: "admin" }]} />);
    expect(screen.getByText("Accepted by admin")).toBeVisible();
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("is nothing, said plainly", () => {
    draw(<LeftBehindList batch="crew" items={[]} />);
    expect(screen.getByText("Nothing was left behind.")).toBeVisible();
  });
});

const difference: Difference = {
  id: 9,
  batch: "crew",
  account: "aoife@saltmarsh.example",
  folder: "INBOX",
  landedIn: "INBOX",
  kind: "missing",
  what: "it is no longer in 'INBOX' on the new side",
  remedy: "Carry it again, or accept that it is not on the new side",
  subject: "Tide table",
  sender: "desk@saltmarsh.example",
  received: null,
  size: 1_200,
  state: "open",
  decidedBy: null,
  seenAt: "2027-02-12T18:00:00Z",
  choices: ["accept", "carry-again"],
};

describe("what differs between the sides", () => {
  it("is decided message by message, or all at once", async () => {
    const fetch = vi.fn(async (_: Request) => Response.json({ items: 1, moves: 1 }));
    vi.stubGlobal("fetch", fetch);
    const second = { ...difference, id: 10, subject: "Crew list" };
    draw(<DifferenceList batch="crew" account={difference.account} items={[difference, second]} />);
    await userEvent.click(screen.getAllByRole("button", { name: "Carry again" })[0] as HTMLElement);
    expect(await fetch.mock.calls[0]?.[0].json()).toEqual({
      choice: "carry-again",
      moves: [difference.account],
      items: [9],
      kind: null,
    });
    await userEvent.click(screen.getByRole("button", { name: "Accept: all 2" }));
    expect(await fetch.mock.calls[1]?.[0].json()).toMatchObject({ choice: "accept", items: null });
  });

  it("is only told where nobody has to decide", () => {
    draw(
      <DifferenceList
        batch="crew"
        account={difference.account}
        items={[
          { ...difference, kind: "moved", state: "told", choices: [] },
          { ...difference, id: 10, kind: "twice", state: "remove", choices: ["accept"] },
        ]}
      />,
    );
    expect(screen.getByText("Nothing to decide")).toBeVisible();
    expect(screen.getByText("Will be removed by the next pass")).toBeVisible();
    expect(screen.queryByRole("button")).toBeNull();
  });
});

it("tells what the last comparison found, and asks for another", async () => {
  const fetch = vi.fn(async (_: Request) => Response.json({ changed: ["a"], unchanged: 0 }));
  vi.stubGlobal("fetch", fetch);
  const last: Comparison = {
    account: "a",
    name: "A",
    share: 1,
    askedAt: "2027-02-12T18:00:00Z",
    askedBy: "admin",
    endedAt: "2027-02-12T18:05:00Z",
    compared: 1200,
    octets: 5_000_000,
    differing: 3,
    flagsChanged: 1,
    arrived: 2,
  };
  draw(<ComparisonBox move={aMove()} last={last} />);
  expect(screen.getByText(/1,200 compared \(5.0 MB\), 3 differ/)).toBeVisible();
  await userEvent.click(screen.getByRole("button", { name: "Read everything" }));
  expect(await fetch.mock.calls[0]?.[0].json()).toEqual({ share: 1, moves: ["aoife@saltmarsh.example"] });
});

it("shows where each folder landed and whether its sums close", () => {
  const counts = { found: 3, carried: 2, paired: 1, excluded: 0, leftBehind: 0 };
  draw(
    <FoldersTable
      account="a"
      landings={[]}
      folders={[
        {
          kind: "mail",
          from: "Projects",
          to: "Work",
          counts,
          gone: 0,
          missing: 0,
          twice: 0,
          altered: 0,
          undecided: 0,
          octets: 9,
          closes: true,
        },
        {
          kind: "mail",
          from: "Spam",
          to: null,
          counts,
          gone: 0,
          missing: 0,
          twice: 2,
          altered: 0,
          undecided: 2,
          octets: 9,
          closes: false,
        },
      ]}
    />,
  );
  const [, first, second] = screen.getAllByRole("row");
  expect(first).toHaveTextContent("ProjectsWork✓ close321");
  expect(second).toHaveTextContent("stays behind");
  expect(second).toHaveTextContent("… not yet");
});

describe("a move of several kinds", () => {
  const problem = {
    cause: "sign-in-refused",
    whom: "a",
    what: "the password was refused",
    remedy: "Mend it",
    code: null,
  };
  const legs = [aLeg({ kind: "contacts", stage: "copying", problem, needsYou: true }), aLeg()];

  it("shows the sums and the state of each", () => {
    draw(<KindTable kinds={legs} state={{ title: "State", of: (leg) => <LegState leg={leg} /> }} />);
    const rows = screen.getAllByRole("row").slice(1);
    expect(rows.map((r) => r.textContent)).toEqual([
      expect.stringMatching(/^ContactsNeeds you/),
      expect.stringMatching(/^MailIn step/),
    ]);
  });

  it("looks no busier with one", () => {
    draw(<KindTable kinds={[aLeg()]} />);
    expect(screen.queryByRole("table")).toBeNull();
    expect(screen.getByText("carried in size")).toBeInTheDocument();
  });

  it("tells its passes by kind", () => {
    const leg = {
      stopped: false,
      fault: null,
      carried: 3,
      paired: 0,
      excluded: 0,
      leftBehind: 0,
      flagsChanged: 0,
      moved: 0,
      removed: 0,
      updated: 0,
      differences: 0,
      octets: 9,
    };
    const pass = {
      id: 1,
      kind: "first" as const,
      started: "2027-02-12T18:00:00Z",
      ended: "2027-02-12T18:01:00Z",
      stopped: false,
      fault: null,
      legs: [
        { ...leg, kind: "contacts" as const, fault: "the password was refused" },
        { ...leg, kind: "mail" as const },
      ],
    };
    draw(<PassesTable passes={[pass]} />);
    expect(screen.getByRole("columnheader", { name: "Kind" })).toBeInTheDocument();
  });
});
