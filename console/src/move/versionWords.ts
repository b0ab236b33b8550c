import type { Schemas } from "../api/client";

export const VERSION_WORDS: Record<Schemas["VersionWord"], string> = {
  old: "Take the old side's",
  new: "Keep the new side's",
  both: "Have both",
};
