import type { Schemas } from "../api/client";
import { relative } from "../words/format";
import { ConditionMark, STAGE_WORDS } from "../words/states";

/** Where one kind of a move stands, in a few words. */
export function LegState({ leg }: { leg: Schemas["LegView"] }) {
  if (leg.needsYou) return <ConditionMark condition="needs-you" />;
  return (
    <>
      {STAGE_WORDS[leg.stage]}
      {leg.problem && <span className="soft"> · tries again {leg.due ? relative(leg.due) : "soon"}</span>}
    </>
  );
}
