import { IconAlertTriangle, IconArrowsExchange, IconCircleMinus, IconInfoCircle } from "@tabler/icons-react";

const WEIGHTS = {
  blocks: { word: "Blocks", icon: IconAlertTriangle },
  loses: { word: "Loses", icon: IconCircleMinus },
  changes: { word: "Changes", icon: IconArrowsExchange },
  note: { word: "Note", icon: IconInfoCircle },
} as const;

/** A weight is a word and a shape; colour only helps. */
export function WeightMark({ weight }: { weight: string }) {
  const look = WEIGHTS[weight as keyof typeof WEIGHTS] ?? WEIGHTS.note;
  return (
    <span className={`condition weight-${weight}`}>
      <look.icon size={15} aria-hidden />
      {look.word}
    </span>
  );
}
