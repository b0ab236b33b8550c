import {
  IconAlertTriangle,
  IconCircle,
  IconClockHour4,
  IconHandStop,
  IconLoader2,
  IconPlayerPlay,
} from "@tabler/icons-react";
import type { ComponentType } from "react";
import type { Condition, Kind, Stage } from "../api/client";

/** The road, in order. */
export const STAGES: Stage[] = ["listed", "surveyed", "copying", "in-step", "crossing", "settling", "done"];

export const STAGE_WORDS: Record<Stage, string> = {
  listed: "Listed",
  surveyed: "Surveyed",
  copying: "Copying",
  "in-step": "In step",
  crossing: "Crossing",
  settling: "Settling",
  done: "Done",
  withdrawn: "Withdrawn",
};

export const KIND_WORDS: Record<Kind, string> = {
  mail: "Mail",
  contacts: "Contacts",
  calendars: "Calendars",
};

/** What is counted of each kind. */
export const ITEM_WORDS: Record<Kind, string> = {
  mail: "messages",
  contacts: "contacts",
  calendars: "events and tasks",
};

interface Look {
  word: string;
  icon: ComponentType<{ size?: number; "aria-hidden"?: boolean }>;
}

/** A state is a word and a shape; colour only helps. */
export const CONDITIONS: Record<Condition, Look> = {
  idle: { word: "Idle", icon: IconCircle },
  queued: { word: "Queued", icon: IconLoader2 },
  running: { word: "Running", icon: IconPlayerPlay },
  waiting: { word: "Waiting", icon: IconClockHour4 },
  held: { word: "Held", icon: IconHandStop },
  "needs-you": { word: "Needs you", icon: IconAlertTriangle },
};

export function ConditionMark({ condition }: { condition: Condition }) {
  const look = CONDITIONS[condition];
  return (
    <span className={`condition condition-${condition}`}>
      <look.icon size={15} aria-hidden />
      {look.word}
    </span>
  );
}
