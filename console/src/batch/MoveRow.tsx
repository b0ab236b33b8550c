import { Checkbox } from "@mantine/core";
import { Link } from "@tanstack/react-router";
import type { Move } from "../api/client";
import { Bar } from "../parts/Bar";
import { number, size } from "../words/format";
import { ConditionMark, STAGE_WORDS } from "../words/states";

interface Props {
  move: Move;
  /** 1-based place in the whole table, the header being the first. */
  index: number;
  selected: boolean;
  onSelect: (event: unknown) => void;
}

export function MoveRow({ move, index, selected, onSelect }: Props) {
  const pass = move.pass;
  return (
    <tr aria-rowindex={index} aria-selected={selected}>
      <td>
        <Checkbox size="xs" aria-label={`Select ${move.name}`} checked={selected} onChange={onSelect} />
      </td>
      <td className="nowrap">
        <Link to="/batches/$batch/moves/$account" params={{ batch: move.batch, account: move.account }}>
          {move.name}
        </Link>
      </td>
      <td className="nowrap soft">{move.account}</td>
      <td className="nowrap">{STAGE_WORDS[move.stage]}</td>
      <td className="nowrap" title={move.conditionText}>
        <ConditionMark condition={move.condition} />
      </td>
      <td>
        {pass && pass.expected > 0 ? (
          <Bar share={pass.settled / pass.expected} label={`${move.name}: share of messages settled`} />
        ) : null}
      </td>
      <td className="num">{number(move.counts.found)}</td>
      <td className="num">{number(move.counts.carried)}</td>
      <td className={move.openLeftBehind > 0 ? "num bad" : "num"}>{number(move.counts.leftBehind)}</td>
      <td className={move.undecided > 0 ? "num bad" : "num"}>{number(move.undecided)}</td>
      <td className="num nowrap">{size(move.octets)}</td>
    </tr>
  );
}
