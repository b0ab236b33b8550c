import { Button, Group } from "@mantine/core";
import type { Move } from "../api/client";
import type { ActionName } from "../api/queries";
import { useActions } from "../parts/useActions";

/** Only what makes sense for this move now. */
export function MoveActions({ move }: { move: Move }) {
  const { action } = useActions(move.batch);
  const possible: { name: ActionName; word: string; main?: boolean }[] = [];
  const fresh = move.stage === "listed" || move.stage === "surveyed";
  if (fresh && move.condition === "idle") possible.push({ name: "start", word: "Start", main: true });
  if (move.condition === "needs-you" || move.condition === "waiting")
    possible.push({ name: "retry", word: "Try again", main: true });
  if (move.stage === "in-step" && move.condition === "idle")
    possible.push({ name: "catch-up", word: "Catch up", main: true });
  if (move.condition === "idle" && move.stage !== "withdrawn") possible.push({ name: "survey", word: "Look (survey)" });
  if (move.condition === "held") possible.push({ name: "resume", word: "Resume", main: true });
  else if (move.stage !== "withdrawn") possible.push({ name: "hold", word: "Hold" });
  return (
    <Group gap="sm">
      {possible.map((p) => (
        <Button
          key={p.name}
          variant={p.main ? "filled" : "default"}
          loading={action.isPending}
          onClick={() => action.mutate({ name: p.name, moves: [move.account] })}
        >
          {p.word}
        </Button>
      ))}
    </Group>
  );
}
