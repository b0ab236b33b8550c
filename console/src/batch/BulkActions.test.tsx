import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, it, vi } from "vitest";
import { aMove, draw } from "../test-render";
import { BulkActions } from "./BulkActions";

afterEach(() => vi.restoreAllMocks());

const answer = { changed: ["aoife@saltmarsh.example"], unchanged: 0 };

const listen = () =>
  vi.spyOn(globalThis, "fetch").mockImplementation(async () => Response.json(answer)) as unknown as {
    mock: { calls: [Request][] };
  };

it("asks it of everybody who fits the filters where nobody is chosen", async () => {
  const fetch = listen();
  draw(<BulkActions batch="crew" chosen={[]} shown={3000} ready filters={{ search: "pier", stage: "listed" }} />);
  await userEvent.click(screen.getByRole("button", { name: "Act on all 3,000 shown" }));
  await userEvent.click(await screen.findByRole("menuitem", { name: "Start" }));
  expect(await fetch.mock.calls[0]?.[0].json()).toEqual({
    action: "start",
    moves: null,
    where: { search: "pier", stage: "listed", condition: null, needsYou: false },
  });
});

it("asks it of those chosen alone, and only where it is possible", async () => {
  const fetch = listen();
  const [held, idle] = [aMove({ account: "held", actions: ["resume"] }), aMove({ account: "idle", actions: ["hold"] })];
  draw(<BulkActions batch="crew" chosen={[held, idle]} shown={10} ready filters={{}} />);
  await userEvent.click(screen.getByRole("button", { name: "Act on 2 chosen" }));
  expect(await screen.findByRole("menuitem", { name: /Start/ })).toHaveAttribute("data-disabled", "true");
  await userEvent.click(await screen.findByRole("menuitem", { name: /Resume/, hidden: true }));
  expect(await fetch.mock.calls[0]?.[0].json()).toEqual({ action: "resume", moves: ["held"], where: null });
});

it("waits while the people shown are not yet those who fit", () => {
  draw(<BulkActions batch="crew" chosen={[]} shown={10} ready={false} filters={{ search: "x" }} />);
  expect(screen.getByRole("button", { name: "Act on all 10 shown" })).toBeDisabled();
});

it("tells how many would leave for good before they do", async () => {
  const fetch = listen();
  draw(<BulkActions batch="crew" chosen={[]} shown={2} ready filters={{}} />);
  await userEvent.click(screen.getByRole("button", { name: "Act on all 2 shown" }));
  await userEvent.click(await screen.findByRole("menuitem", { name: "Withdraw…" }));
  expect(fetch.mock.calls).toHaveLength(0);
  await userEvent.click(await screen.findByRole("button", { name: "Withdraw 2 people" }));
  expect(await fetch.mock.calls[0]?.[0].json()).toMatchObject({ action: "withdraw", moves: null });
});
