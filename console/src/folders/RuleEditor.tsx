import { Button, Group, Textarea } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { ApiError, Schemas } from "../api/client";
import { setRules, tryRules } from "../api/surveyQueries";
import { notifyFailure, notifySuccess } from "../parts/notify";

/** The rules are tried this many milliseconds after the last key. */
const PAUSE = 500;

/** Rules that are not in force, and where folders would land under them. */
export interface Tried {
  rules: string;
  preview: Schemas["FolderPreview"];
}

interface Props {
  batch: string;
  rules: Schemas["FolderRulesView"];
  /** Where folders would land under what is written now; null while it is what is in force. */
  onTried: (tried: Tried | null) => void;
}

/** The rules as they stand in the plan. What is written is tried at once, and in force only when it is kept. */
const EXAMPLES = [
  '- {match: "Projects/**", to: "Work/**"}',
  "- {match: {use: junk}, leave: true}",
  '- {match: {regex: "^Old (.*)$"}, to: "Older/$1"}',
  '- {match: "Lists/**", flatten: " - "}',
];

export function RuleEditor({ batch, rules, onTried }: Props) {
  const client = useQueryClient();
  const [text, setText] = useState(rules.rules);
  const [settled] = useDebouncedValue(text, PAUSE);
  const changed = text !== rules.rules;
  const trial = useQuery({
    queryKey: ["what-if", batch, settled],
    queryFn: () => tryRules(batch, settled),
    enabled: settled !== rules.rules,
    retry: false,
  });
  useEffect(
    () => onTried(changed && trial.data ? { rules: settled, preview: trial.data } : null),
    [changed, settled, trial.data, onTried],
  );
  const keep = useMutation({
    mutationFn: () => setRules(rules.route, text, rules.rules),
    onSuccess: () => {
      notifySuccess("The rules are in force, and stand in the plan");
      void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
    },
    onError: notifyFailure,
  });
  const wrong = changed && trial.error ? (trial.error as ApiError) : null;
  return (
    <div className="sheet padded stack">
      <Textarea
        label="Folder rules"
        description={`The first that matches decides. ${EXAMPLES.join(", ")}`}
        styles={{ input: { fontFamily: "ui-monospace, monospace", fontSize: 13.5 } }}
        autosize
        minRows={4}
        maxRows={16}
        spellCheck={false}
        value={text}
        onChange={(e) => setText(e.currentTarget.value)}
        error={wrong ? <RuleProblems error={wrong} /> : undefined}
      />
      <Group gap="sm">
        <Button disabled={!changed || wrong !== null} loading={keep.isPending} onClick={() => keep.mutate()}>
          Put in force
        </Button>
        <Button variant="default" disabled={!changed} onClick={() => setText(rules.rules)}>
          Back to what is in force
        </Button>
        <span className="soft">
          {changed
            ? "Not in force yet: below is what would happen."
            : `For everybody in ${rules.batches.join(", ")}. Keeping them changes the plan at this one place.`}
        </span>
      </Group>
    </div>
  );
}

function RuleProblems({ error }: { error: ApiError }) {
  if (error.problems.length === 0) return <>{error.message}</>;
  return (
    <ul style={{ margin: 0, paddingLeft: 18 }}>
      {error.problems.map((p) => (
        <li key={`${p.line} ${p.what}`}>
          Line {p.line}: {p.what}. Allowed: {p.allowed}
        </li>
      ))}
    </ul>
  );
}
