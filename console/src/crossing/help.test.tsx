import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, it, vi } from "vitest";
import type { Schemas } from "../api/client";
import { draw } from "../test-render";
import { BeginButton } from "./BeginButton";
import { PersonHelp } from "./PersonHelp";
import type { Crossing } from "./words";

afterEach(() => vi.unstubAllGlobals());

const forwarding = { way: "by-hand", onAt: null, script: null, confirmation: null, code: null };

function help(step: Crossing["step"], more: object) {
  vi.stubGlobal(
    "fetch",
    vi.fn(async () => new Response(JSON.stringify({ forwarding: { ...forwarding, ...more } }), { status: 200 })),
  );
  const view = { account: "aoife@saltmarsh.example", forwardTo: "aoife@northquay.example", step } as Crossing;
  draw(
    <PersonHelp batch="crew" view={view} button={(ask, word) => <button type="button">{`${ask}: ${word}`}</button>} />,
  );
}

it("lets a person say what they did by hand", async () => {
  help("forward", {});
  expect(await screen.findByText("forwarding-on: It forwards to aoife@northquay.example now")).toBeVisible();
});

it("shows the code that has to be given back", async () => {
  help("confirm", { confirmation: "code-seen", code: "48-213" });
  expect(await screen.findByText("48-213")).toBeVisible();
  expect(screen.getByText("confirmed: I gave it back")).toBeVisible();
});

it("offers to switch on again what somebody switched off", async () => {
  help("settle", { way: "rules" });
  expect(await screen.findByText("forward-again: Switch it on again")).toBeVisible();
});

it("begins no wave before it has said whom that concerns", async () => {
  const begin = vi.fn();
  const view = { waves: [], people: 30, waveSize: 20 } as unknown as Schemas["BatchCrossingView"];
  draw(<BeginButton view={view} isPending={false} onBegin={begin} />);
  await userEvent.click(screen.getByRole("button", { name: "Begin the crossing" }));
  await screen.findByText(/Up to 20 people will cross now/);
  expect(begin).not.toHaveBeenCalled();
  await userEvent.click(await screen.findByRole("button", { name: "Begin now" }));
  expect(begin).toHaveBeenCalledOnce();
});
