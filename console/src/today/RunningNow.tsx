import { Link } from "@tanstack/react-router";
import type { Move } from "../api/client";
import { Bar } from "../parts/Bar";
import { GridSheet } from "../parts/GridSheet";
import { duration, number, size } from "../words/format";

export function RunningNow({ moves }: { moves: Move[] }) {
  if (moves.length === 0) return <div className="sheet padded soft">Nothing runs at the moment.</div>;
  return (
    <GridSheet label="Moves that run now">
      <table className="grid">
        <thead>
          <tr>
            <th scope="col">Who</th>
            <th scope="col">Batch</th>
            <th scope="col">Progress</th>
            <th scope="col" className="num">
              Messages
            </th>
            <th scope="col" className="num">
              Size
            </th>
            <th scope="col" className="num">
              A second
            </th>
            <th scope="col" className="num">
              Left
            </th>
            <th scope="col">Folder</th>
          </tr>
        </thead>
        <tbody>
          {moves.map((move) => (
            <RunningRow key={`${move.batch} ${move.account}`} move={move} />
          ))}
        </tbody>
      </table>
    </GridSheet>
  );
}

function RunningRow({ move }: { move: Move }) {
  const pass = move.pass;
  const share = pass && pass.expected > 0 ? pass.settled / pass.expected : 0;
  return (
    <tr>
      <td className="nowrap">
        <Link to="/batches/$batch/moves/$account" params={{ batch: move.batch, account: move.account }}>
          {move.name}
        </Link>
      </td>
      <td className="nowrap">{move.batch}</td>
      <td>
        <Bar share={share} label={`${move.name}: share of messages settled`} />
      </td>
      <td className="num nowrap">{pass ? `${number(pass.settled)} of ${number(pass.expected)}` : "…"}</td>
      <td className="num nowrap">{pass ? size(pass.octets) : ""}</td>
      <td className="num">{pass ? pass.perSecond.toFixed(1) : ""}</td>
      <td className="num nowrap">{typeof pass?.secondsLeft === "number" ? duration(pass.secondsLeft) : "…"}</td>
      <td className="nowrap soft">{pass?.folder}</td>
    </tr>
  );
}
