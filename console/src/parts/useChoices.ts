import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { choose } from "../api/surveyQueries";
import { plural } from "../words/format";
import { failed, told } from "./notify";

/** Deciding about findings, with a word back and fresh pages after. */
export function useChoices(batch: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (choice: Schemas["ChoiceRequest"]) => choose(batch, choice),
    onSuccess: (result, choice) => {
      told(`${choice.way === null ? "Taken back" : "Chosen"} for ${plural(result.people, "person", "people")}`);
      void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
    },
    onError: failed,
  });
}
