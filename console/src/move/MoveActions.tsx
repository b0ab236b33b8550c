import { Button, Group } from "@mantine/core";
import type { Move } from "../api/client";
import { useActions } from "../parts/useActions";
import { SecretForm } from "../secrets/SecretForm";
import { ACTIONS, SECONDARY } from "../words/actions";

/** Causes that another password or login may mend. */
const OF_SIGN_IN: ReadonlySet<string> = new Set([
  "sign-in-refused",
  "app-password-needed",
  "login-form-wrong",
  "account-locked",
  "account-not-found",
  "secret-missing",
  "secret-unreadable",
]);

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
      {move.legs.some((l) => l.needsYou && l.problem && OF_SIGN_IN.has(l.problem.cause)) && (
        <>
          <SecretForm people={[move]} side="from" word="New password, old side" />
          <SecretForm people={[move]} side="to" word="New password, new side" />
        </>
      )}
    </Group>
  );
}
