import { MantineProvider } from "@mantine/core";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactNode } from "react";
import type { Move } from "./api/client";

/** Renders a component inside the providers that every page has. */
export const draw = (piece: ReactNode) =>
  render(
    <MantineProvider>
      <QueryClientProvider client={new QueryClient()}>{piece}</QueryClientProvider>
    </MantineProvider>,
  );

export const aLeg = (more: Partial<Move["legs"][number]> = {}): Move["legs"][number] => ({
  kind: "mail",
  stage: "in-step",
  problem: null,
  needsYou: false,
  due: null,
  attempts: 0,
  endedAt: "2027-02-12T18:00:00Z",
  counts: { found: 10, carried: 10, paired: 0, excluded: 0, leftBehind: 0 },
  openLeftBehind: 0,
  undecided: 0,
  octets: 1000,
  ...more,
});

export const aMove = (more: Partial<Move> = {}): Move => ({
  batch: "crew",
  account: "aoife@saltmarsh.example",
  toAccount: "aoife@saltmarsh.example",
  name: "Aoife Marsh",
  note: null,
  stage: "in-step",
  condition: "idle",
  conditionText: "nothing to do until asked",
  until: null,
  problem: null,
  counts: { found: 10, carried: 10, paired: 0, excluded: 0, leftBehind: 0 },
  openLeftBehind: 0,
  leftBehindTolerated: false,
  undecided: 0,
  asOf: "2027-02-12T18:00:00Z",
  octets: 1000,
  legs: [aLeg()],
  pass: null,
  actions: [],
  changedAt: "2027-02-12T18:00:00Z",
  ...more,
});
