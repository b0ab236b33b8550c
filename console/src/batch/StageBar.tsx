import type { Batch, Stage } from "../api/client";
import { plural } from "../words/format";
import { STAGE_WORDS, STAGES } from "../words/states";

const ORDER: Stage[] = [...STAGES, "withdrawn"];

interface Props {
  batch: Batch;
  /** The stage by which the table below is filtered; without a choice the bar only shows. */
  chosen?: Stage | null;
  onChoose?: (stage: Stage | null) => void;
}

/** How many people are at which stage, as one bar. */
export function StageBar({ batch, chosen, onChoose }: Props) {
  const parts = ORDER.map((stage) => ({ stage, people: batch.stages[stage] ?? 0 })).filter((p) => p.people > 0);
  if (!onChoose)
    return (
      <div>
        <div
          className="stagebar"
          style={{ height: 14 }}
          role="img"
          aria-label={parts.map((p) => `${STAGE_WORDS[p.stage]} ${p.people}`).join(", ")}
        >
          {parts.map((p) => (
            <div key={p.stage} className={`fill-${p.stage}`} style={{ flex: p.people }} />
          ))}
        </div>
        <div className="legend">
          {parts.map((p) => (
            <span key={p.stage} className="row" style={{ gap: 7 }}>
              <span className={`swatch fill-${p.stage}`} />
              {STAGE_WORDS[p.stage]} {p.people}
            </span>
          ))}
        </div>
      </div>
    );
  const toggle = (stage: Stage) => onChoose(chosen === stage ? null : stage);
  return (
    <div>
      <div className="stagebar">
        {parts.map((p) => (
          <button
            type="button"
            key={p.stage}
            className={`fill-${p.stage}`}
            style={{ flex: p.people }}
            aria-pressed={chosen === p.stage}
            aria-label={`Show only ${STAGE_WORDS[p.stage]}: ${plural(p.people, "person", "people")}`}
            onClick={() => toggle(p.stage)}
          />
        ))}
      </div>
      <div className="legend">
        {parts.map((p) => (
          <button type="button" key={p.stage} aria-pressed={chosen === p.stage} onClick={() => toggle(p.stage)}>
            <span className={`swatch fill-${p.stage}`} />
            {STAGE_WORDS[p.stage]} {p.people}
          </button>
        ))}
      </div>
    </div>
  );
}
