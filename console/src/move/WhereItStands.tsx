import type { Move } from "../api/client";
import { Bar } from "../parts/Bar";
import { duration, number, plural, relative, size, time } from "../words/format";
import { ConditionMark } from "../words/states";

/** What is happening now, why, and until when. */
export function WhereItStands({ move }: { move: Move }) {
  const pass = move.pass;
  return (
    <div className="stack">
      <div className="row">
        <ConditionMark condition={move.condition} />
        <span>{move.conditionText}</span>
        {move.until && (
          <span className="soft">
            {time(move.until)} ({relative(move.until)})
          </span>
        )}
      </div>
      {move.asOf && (
        <div className="soft">
          The new side has everything as of {time(move.asOf)} ({relative(move.asOf)}).
          {move.leftBehindTolerated &&
            ` ${plural(move.openLeftBehind, "item")} left behind: no more than the route tolerates.`}
        </div>
      )}
      {pass && (
        <div className="row">
          <div style={{ flex: 1, maxWidth: 420 }}>
            <Bar share={pass.expected > 0 ? pass.settled / pass.expected : 0} label="Share of messages settled" />
          </div>
          <span>
            {number(pass.settled)} of {number(pass.expected)} · {size(pass.octets)} · {pass.perSecond.toFixed(1)} a
            second
            {typeof pass.secondsLeft === "number" && ` · ${duration(pass.secondsLeft)} left`}
          </span>
          {pass.folder && <span className="soft">in {pass.folder}</span>}
        </div>
      )}
    </div>
  );
}
