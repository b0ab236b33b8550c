import type { Stage } from "../api/client";
import { STAGE_WORDS, STAGES } from "../words/states";

/** The road as a line of stages, with where this person stands. */
export function Road({ stage, surveyed }: { stage: Stage; surveyed: boolean }) {
  if (stage === "withdrawn")
    return <p className="warn-note">Withdrawn from the move. What was carried stays on the new side.</p>;
  // A move can start without a survey: then that stage is not marked as passed.
  const stages = STAGES.filter((s) => s !== "surveyed" || surveyed || stage === "surveyed");
  const here = stages.indexOf(stage);
  return (
    <ol className="road" aria-label="Stages of the move">
      {stages.map((s, i) => (
        <li
          key={s}
          className={i < here ? "passed" : i === here ? "here" : undefined}
          aria-current={i === here ? "step" : undefined}
        >
          {STAGE_WORDS[s]}
          {i < here && <span className="visually-hidden"> (passed)</span>}
        </li>
      ))}
    </ol>
  );
}
