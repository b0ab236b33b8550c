import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type ActionName, act, decide } from "../api/queries";
import { plural } from "../words/format";
import { failed, told } from "./notify";

const DONE: Record<ActionName, string> = {
  survey: "looked at",
  start: "started",
  "catch-up": "catching up",
  hold: "held",
  resume: "resumed",
  retry: "tried again",
  withdraw: "withdrawn",
};

/** What people ask of moves, with a word back and fresh pages after. */
export function useActions(batch: string) {
  const client = useQueryClient();
  const refresh = () => client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
  const action = useMutation({
    mutationFn: ({ name, moves }: { name: ActionName; moves: string[] | null }) => act(batch, name, moves),
    onSuccess: (result, { name }) => {
      told(
        `${plural(result.changed.length, "person", "people")} ${DONE[name]}${result.unchanged > 0 ? `; ${result.unchanged} as before` : ""}`,
      );
      void refresh();
    },
    onError: failed,
  });
  const decision = useMutation({
    mutationFn: (d: { accept: boolean; moves: string[] | null; items: number[] | null }) =>
      decide(batch, d.accept, d.moves, d.items),
    onSuccess: (result, { accept }) => {
      told(`${plural(result.items, "message")} ${accept ? "may stay behind" : "will be tried again"}`);
      void refresh();
    },
    onError: failed,
  });
  return { action, decision };
}
