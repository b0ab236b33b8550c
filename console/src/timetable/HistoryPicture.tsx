import type { Schemas } from "../api/client";
import { number, size, time } from "../words/format";
import { STAGE_WORDS } from "../words/states";

type Point = Schemas["HistoryPoint"];
type Forecast = Schemas["ForecastView"];

const WIDTH = 1000;
const HEIGHT = 150;
const DAY = 86_400_000;

/** From the bottom up: who is furthest stands at the bottom, so that what is done grows from there. */
const STAGES = ["done", "settling", "crossing", "in-step", "copying", "surveyed", "listed", "withdrawn"] as const;

/** Stages that are drawn in one colour. */
const COLOUR: Record<(typeof STAGES)[number], string> = {
  done: "done",
  settling: "done",
  crossing: "in-step",
  "in-step": "in-step",
  copying: "copying",
  surveyed: "listed",
  listed: "listed",
  withdrawn: "withdrawn",
};

/**
 * How many people stood at which stage, hour by hour; an hour in which nothing changed is as the one before it. Then, between two lines,
 * how many are foreseen to be in step.
 */
export function HistoryPicture({
  points,
  people,
  forecast,
}: {
  points: Point[];
  people: number;
  forecast: Forecast | undefined;
}) {
  const [first, last] = [points[0], points.at(-1)];
  if (!first || !last) return <div className="sheet padded soft">The history begins with the next full hour.</div>;
  const begin = Date.parse(first.at);
  // The last hour is still going on.
  const now = Math.max(begin + 3_600_000, Date.parse(last.at) + 3_600_000);
  const fast = forecast ? lineOf(forecast, now, (d) => d.most, forecast.inStepEarliest) : [];
  const slow = forecast ? lineOf(forecast, now, (d) => d.fewest, forecast.inStepLatest) : [];
  const end = Math.max(now, ...[...fast, ...slow].map((p) => p.at));
  const x = (ms: number) => ((ms - begin) / (end - begin)) * WIDTH;
  const most = Math.max(1, people, ...points.map((p) => Object.values(p.stages).reduce((a, b) => a + b, 0)));
  const at = (p: Ahead) => `${x(p.at).toFixed(1)},${(HEIGHT * (1 - p.people / most)).toFixed(1)}`;
  return (
    <figure className="sheet padded picture">
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT + 16}`} role="img" aria-label="People by stage over time, and as foreseen">
        {points.map((point, i) => {
          const next = points[i + 1];
          const [a, b] = [x(Date.parse(point.at)), x(next ? Date.parse(next.at) : now)];
          let top = HEIGHT;
          return (
            <g key={point.at}>
              {STAGES.filter((s) => (point.stages[s] ?? 0) > 0).map((stage) => {
                const height = ((point.stages[stage] ?? 0) / most) * HEIGHT;
                top -= height;
                return (
                  <rect
                    key={stage}
                    x={a}
                    y={top}
                    width={Math.max(0.5, b - a)}
                    height={height}
                    style={{ fill: `var(--stage-${COLOUR[stage]})` }}
                  />
                );
              })}
              <rect x={a} y={0} width={Math.max(0.5, b - a)} height={HEIGHT} fill="transparent">
                <title>{titleOf(point, points[i - 1])}</title>
              </rect>
            </g>
          );
        })}
        {end > now && (
          <g>
            <title>{forecast?.sentence}</title>
            <polygon points={[...fast, ...slow.toReversed()].map(at).join(" ")} className="foreseen-between" />
            <polyline points={fast.map(at).join(" ")} className="foreseen-line" />
            <polyline points={slow.map(at).join(" ")} className="foreseen-line" />
            <line x1={x(now)} y1={0} x2={x(now)} y2={HEIGHT} className="foreseen-now" />
          </g>
        )}
        <text x="0" y={HEIGHT + 13} className="weeks-word">
          {time(first.at)}
        </text>
        <text x={WIDTH} y={HEIGHT + 13} textAnchor="end" className="weeks-word">
          {time(new Date(end).toISOString())}
        </text>
      </svg>
      <figcaption className="soft">
        {captionOf(last)}
        {end > now && " Right of the line: how many are foreseen to be in step, at best and at worst."}
      </figcaption>
    </figure>
  );
}

/** So many people in step at a time to come. */
type Ahead = { at: number; people: number };

/** From now over the ends of days to the moment at which everybody is in step; one that is not within half a year ends with its days. */
function lineOf(
  forecast: Forecast,
  now: number,
  count: (day: Forecast["days"][number]) => number,
  ends: string | null,
): Ahead[] {
  const all = forecast.people - forecast.apart;
  if (forecast.inStep >= all) return [];
  const last = ends === null ? Number.POSITIVE_INFINITY : Math.max(now, Date.parse(ends));
  const days = forecast.days
    .map((d) => ({ at: Date.parse(`${d.day}T00:00:00`) + DAY, people: count(d) }))
    .filter((p) => p.at > now && p.at < last);
  return [{ at: now, people: forecast.inStep }, ...days, ...(Number.isFinite(last) ? [{ at: last, people: all }] : [])];
}

const peopleOf = (point: Point) =>
  STAGES.filter((s) => (point.stages[s] ?? 0) > 0)
    .map((s) => `${number(point.stages[s] ?? 0)} ${STAGE_WORDS[s]}`)
    .join(", ");

function titleOf(point: Point, before: Point | undefined): string {
  const carried = before
    ? `; ${number(point.settled - before.settled)} items and ${size(point.octets - before.octets)} since`
    : "";
  return `${time(point.at)}: ${peopleOf(point)}${carried}`;
}

const captionOf = (last: Point) =>
  `Now ${peopleOf(last)}; ${number(last.settled)} of ${number(last.found)} items settled, ${size(last.octets)} carried.`;
