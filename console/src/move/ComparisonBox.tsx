import { Button, Group } from "@mantine/core";
import type { Comparison, Move } from "../api/client";
import { useActions } from "../parts/useActions";
import { number, relative, size, time } from "../words/format";

const STEPS: { share: number; word: string }[] = [
  { share: 0.02, word: "Read a sample (2%)" },
  { share: 1, word: "Read everything" },
];

/** Both sides read anew because somebody wants to see it, and what the last reading found. */
export function ComparisonBox({ move, last }: { move: Move; last: Comparison | null }) {
  const { comparison } = useActions(move.batch);
  const possible = move.condition === "idle" && move.stage !== "listed" && move.stage !== "surveyed";
  return (
    <div className="sheet padded row spread">
      <div>
        <strong>Both sides read anew:</strong> {last ? words(last) : "nobody has asked for it yet."}
      </div>
      {possible && (
        <Group gap="sm">
          {STEPS.map((step) => (
            <Button
              key={step.share}
              size="xs"
              variant="default"
              loading={comparison.isPending}
              onClick={() => comparison.mutate({ share: step.share, moves: [move.account] })}
            >
              {step.word}
            </Button>
          ))}
        </Group>
      )}
    </div>
  );
}

function words(last: Comparison): string {
  const part = last.share === 1 ? "everything" : `${(last.share * 100).toFixed(0)}% of the items`;
  const sums = [
    `${number(last.compared)} compared (${size(last.octets)})`,
    `${number(last.differing)} differ`,
    `${number(last.flagsChanged)} with flags changed on the new side`,
    `${number(last.arrived)} arrived on the old side since`,
  ].join(", ");
  return last.endedAt
    ? `${part}, ${time(last.endedAt)} (${relative(last.endedAt)}): ${sums}.`
    : `${part}, under way: ${sums}.`;
}
