import type { ActionName } from "../api/queries";

/** What can be asked of moves, in the order in which it is offered. Which of it is possible, each move says itself. */
export const ACTIONS: { name: ActionName; word: string }[] = [
  { name: "start", word: "Start" },
  { name: "catch-up", word: "Catch up" },
  { name: "retry", word: "Try again" },
  { name: "resume", word: "Resume" },
  { name: "survey", word: "Look (survey)" },
  { name: "hold", word: "Hold" },
  { name: "withdraw", word: "Withdraw" },
];

/** Not what somebody most likely came for. */
export const SECONDARY: ReadonlySet<ActionName> = new Set(["survey", "hold", "withdraw"]);
