import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { concerns } from "../api/live";
import { type ActionName, type Asked, act, compare, decide, decideDifferences } from "../api/queries";
import { plural } from "../words/format";
import { notifyFailure, notifySuccess } from "./notify";

const DONE: Record<ActionName, string> = {
  survey: "looked at",
  start: "started",
  "catch-up": "catching up",
  hold: "held",
  resume: "resumed",
  retry: "tried again",
  withdraw: "withdrawn",
};

const DECIDED: Record<Schemas["DifferenceChoice"], string> = {
  accept: "may stay as they are",
  "carry-again": "will be carried again",
  "remove-second": "will be removed where they stand twice",
};

/** Sends an action for moves, confirms it in a notification and refreshes the pages concerned. */
export function useActions(batch: string) {
  const client = useQueryClient();
  const refresh = () => client.invalidateQueries({ predicate: (q) => concerns(q.queryKey, new Set([batch])) });
  const action = useMutation({
    mutationFn: (asked: Asked) => act(batch, asked),
    onSuccess: (result, { name }) => {
      notifySuccess(
        plural(result.changed.length, "person", "people") +
          ` ${DONE[name]}${result.unchanged > 0 ? `; ${result.unchanged} as before` : ""}`,
      );
      void refresh();
    },
    onError: notifyFailure,
  });
  const decision = useMutation({
    mutationFn: (d: {
      accept: boolean;
      moves: string[] | null;
      items: number[] | null;
      keep?: Schemas["VersionWord"];
    }) => decide(batch, d.accept, d.moves, d.items, d.keep ?? null),
    onSuccess: (result, { accept, keep }) => {
      const done = accept ? "may stay behind" : keep ? "will be as chosen" : "will be tried again";
      notifySuccess(`${plural(result.items, "item")} ${done}`);
      void refresh();
    },
    onError: notifyFailure,
  });
  const differences = useMutation({
    mutationFn: (d: Schemas["DifferencesDecision"]) => decideDifferences(batch, d),
    onSuccess: (result, { choice }) => {
      notifySuccess(`${plural(result.items, "item")} ${DECIDED[choice]}`);
      void refresh();
    },
    onError: notifyFailure,
  });
  const comparison = useMutation({
    mutationFn: (c: Schemas["ComparisonRequest"]) => compare(batch, c),
    onSuccess: (result) => {
      notifySuccess(
        result.changed.length > 0
          ? "Both sides are read anew"
          : "Not now: a pass is under way, or nothing was carried yet",
      );
      void refresh();
    },
    onError: notifyFailure,
  });
  return { action, decision, differences, comparison };
}
