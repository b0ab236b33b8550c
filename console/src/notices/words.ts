import type { Schemas } from "../api/client";

export const ABOUT_WORDS: Record<Schemas["NoticeAbout"], string> = {
  digest: "daily digest",
  "needs-you": "needs you",
  "in-step": "batch in step",
  done: "batch done",
  starts: "starts soon",
  "kind-done": "copied",
  crosses: "cutover is near",
  crossed: "new account",
};

export const STATE_WORDS: Record<Schemas["NoticeStateWord"], string> = {
  due: "due",
  "handing-over": "being handed over",
  sent: "sent",
  refused: "refused",
  unclear: "unclear",
  bounced: "came back",
  dropped: "dropped",
};

/** Somebody has to look at these. */
export const IS_BAD: ReadonlySet<Schemas["NoticeStateWord"]> = new Set(["refused", "unclear", "bounced"]);
