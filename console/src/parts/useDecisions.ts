import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { choose } from "../api/surveyQueries";
import { plural } from "../words/format";
import { notifyFailure, notifySuccess } from "./notify";

/** Sends a decision about findings, confirms it in a notification and refreshes the pages concerned. */
export function useDecisions(batch: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (decision: Schemas["DecisionRequest"]) => choose(batch, decision),
    onSuccess: (result, decision) => {
      notifySuccess(
        `${decision.way === null ? "Taken back" : "Chosen"} for ${plural(result.people, "person", "people")}`,
      );
      void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
    },
    onError: notifyFailure,
  });
}
