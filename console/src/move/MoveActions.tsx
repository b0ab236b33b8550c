import { Button, Group } from "@mantine/core";
import type { Move } from "../api/client";
import { useActions } from "../parts/useActions";
import { ACTIONS, SECONDARY } from "../words/actions";

/** Only what makes sense for this move now, as the service says. Leaving for good is asked for in the batch, with a question before. */
export function MoveActions({ move }: { move: Move }) {
  const { action } = useActions(move.batch);
  return (
    <Group gap="sm">
      {ACTIONS.filter((a) => a.name !== "withdraw" && move.actions.includes(a.name)).map((a) => (
        <Button
          key={a.name}
          variant={SECONDARY.has(a.name) ? "default" : "filled"}
          loading={action.isPending}
          onClick={() => action.mutate({ name: a.name, moves: [move.account] })}
        >
          {a.word}
        </Button>
      ))}
    </Group>
  );
}
