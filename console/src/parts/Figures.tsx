import type { Counts } from "../api/client";
import { number } from "../words/format";

/** What was found, and what became of it: the sum that must close. */
export function Figures({ counts, more }: { counts: Counts; more?: { label: string; value: string }[] }) {
  const figures = [
    { label: "found", value: number(counts.found) },
    { label: "carried", value: number(counts.carried) },
    { label: "paired", value: number(counts.paired) },
    { label: "excluded by a rule", value: number(counts.excluded) },
    { label: "left behind", value: number(counts.leftBehind) },
    ...(more ?? []),
  ];
  return <FigureRow figures={figures} />;
}

/** Numbers side by side, each with its word. */
export function FigureRow({ figures }: { figures: { label: string; value: string }[] }) {
  return (
    <div className="figures">
      {figures.map((f) => (
        <div className="figure" key={f.label}>
          <strong>{f.value}</strong>
          <span>{f.label}</span>
        </div>
      ))}
    </div>
  );
}
