import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { Schemas } from "../api/client";
import { crossingMoveQuery } from "../api/crossingQueries";
import type { Crossing } from "./words";

interface Props {
  batch: string;
  view: Crossing;
  button: (ask: Schemas["CrossingAsk"], word: string) => ReactNode;
}

/** What a person can say or ask for where a crossing waits for them: a code to give back, or what they did by hand. */
export function PersonHelp({ batch, view, button }: Props) {
  const { data } = useQuery(crossingMoveQuery(batch, view.account));
  const forwarding = data?.forwarding;
  if (!forwarding) return null;
  const isByHand = forwarding.way === "by-hand";
  return (
    <>
      {forwarding.confirmation === "code-seen" && (
        <p>
          To give back at the old service: <strong>{forwarding.code}</strong>
        </p>
      )}
      {forwarding.confirmation === "code-seen" && button("confirmed", "I gave it back")}
      {isByHand && view.step === "forward" && button("forwarding-on", `It forwards to ${view.forwardTo} now`)}
      {isByHand && view.step === "undo" && button("forwarding-off", "It is switched off now")}
      {!isByHand && view.step === "settle" && button("forward-again", "Switch it on again")}
    </>
  );
}
