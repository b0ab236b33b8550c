import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/client";
import { draw } from "../test-render";
import { EstimatePicture } from "./EstimatePicture";
import { SizeBars } from "./SizeBars";
import { WayForm } from "./WayForm";

const group: Schemas["FindingGroup"] = {
  code: "reserved-name",
  weight: "changes",
  title: "Names that the new side keeps for itself",
  otherwise: "It gets ' (old)'",
  people: 3,
  open: 3,
  messages: 0,
  octets: 0,
  ways: [
    { way: "suffix", text: "Put something after it", value: "text such as ' (old)'", default: " (old)" },
    { way: "accept", text: "It may be so", value: null, default: null },
  ],
  decisions: [],
  rows: [],
};

describe("a way out", () => {
  it("takes its value, and holds for the batch or the route where nobody is chosen", async () => {
    const choose = vi.fn();
    draw(<WayForm group={group} selected={[]} pending={false} onChoose={choose} />);
    expect(screen.queryByRole("button", { name: /For/ })).toBeNull();
    await userEvent.click(screen.getByPlaceholderText("Choose a way out"));
    await userEvent.click(await screen.findByText("Put something after it"));
    const value = screen.getByLabelText("Value: text such as ' (old)'");
    expect(value).toHaveValue(" (old)");
    await userEvent.clear(value);
    await userEvent.type(value, "_mail");
    await userEvent.click(screen.getByRole("button", { name: "For the route" }));
    expect(choose).toHaveBeenCalledWith({
      code: "reserved-name",
      way: "suffix",
      value: "_mail",
      scope: "route",
      moves: null,
    });
  });

  it("holds for each person chosen", async () => {
    const choose = vi.fn();
    draw(<WayForm group={group} selected={["a@x.example", "b@x.example"]} pending={false} onChoose={choose} />);
    await userEvent.click(screen.getByPlaceholderText("Choose a way out"));
    await userEvent.click(await screen.findByText("It may be so"));
    await userEvent.click(screen.getByRole("button", { name: "For 2 people chosen" }));
    expect(choose).toHaveBeenCalledWith({
      code: "reserved-name",
      way: "accept",
      value: null,
      scope: "move",
      moves: ["a@x.example", "b@x.example"],
    });
  });
});

const estimate: Schemas["EstimateView"] = {
  batch: "crew",
  shortest: 3600,
  longest: 14400,
  unknown: 2,
  messages: 12_000,
  octets: 4e9,
  atOnce: 8,
  heldBackBy: "connections",
  detail: "4 connections at lanternpost",
  measured: 0,
  messagesPerSecondLow: 5,
  messagesPerSecondHigh: 100,
  octetsPerSecondLow: 1,
  octetsPerSecondHigh: 2,
  kinds: [{ kind: "contacts", items: 1400, octets: 9e5, measured: 0, itemsPerSecondLow: 5, itemsPerSecondHigh: 100 }],
  moves: {
    next: "@2",
    total: 40,
    items: [
      {
        account: "a@x.example",
        name: "Aoife Marsh",
        messages: 10,
        octets: 1000,
        items: 200,
        shortest: 60,
        longest: 600,
      },
      { account: "b@x.example", name: "Bram Tolland", messages: 0, octets: 0, items: 0, shortest: 0, longest: 0 },
    ],
  },
};

describe("the estimate", () => {
  it("says range, what holds it back, what is assumed and who is not in it", () => {
    draw(<EstimatePicture estimate={estimate} />);
    expect(screen.getByText("60 min to 4.0 h")).toBeVisible();
    expect(screen.getByText(/Held back by 4 connections at lanternpost/)).toBeVisible();
    expect(screen.getByText(/Rates are assumed, 5 to 100 messages a second/)).toBeVisible();
    expect(screen.getByText(/Contacts: 1,400 to carry, 5 to 100 a second for one move, assumed/)).toBeVisible();
    expect(screen.getByText(/2 people are not in it/)).toBeVisible();
    expect(screen.getByText("60 s to 10 min")).toBeVisible();
    expect(screen.queryByText("Bram Tolland")).toBeNull();
    expect(screen.getByText("and 39 faster ones")).toBeVisible();
  });

  it("does not draw a picture of nothing", () => {
    draw(
      <EstimatePicture
        estimate={{ ...estimate, moves: { items: estimate.moves.items.slice(1), next: null, total: 1 } }}
      />,
    );
    expect(screen.getByText(/Nothing is left to carry/)).toBeVisible();
  });
});

it("tells sizes in numbers beside the bars", () => {
  draw(<SizeBars sizes={[{ name: "up to 1 GB", upTo: 1e9, accounts: 3, octets: 2e9 }]} />);
  expect(screen.getByRole("row", { name: /up to 1 GB 3 accounts 2.0 GB/ })).toBeVisible();
});
