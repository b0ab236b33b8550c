import type { Schemas } from "../api/client";
import { plural, time } from "../words/format";

type View = Schemas["TimetableView"];
type Day = Schemas["CalendarDay"];

const HOUR = 3_600_000;
const ROW = 46;
const LEFT = 74;
const WIDTH = 1008;
const HEAD = 20;
const BAR = 26;

const dayName = new Intl.DateTimeFormat("en-GB", { weekday: "short", timeZone: "UTC" });
const dayDate = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", timeZone: "UTC" });

const at = (iso: string) => Date.parse(iso);

/** Weeks from Monday to Sunday, so that a night at the end of one stands above the same night of the next. */
function weeksOf(days: Day[]): Day[][] {
  const weeks: Day[][] = [];
  for (const day of days) {
    const isMonday = new Date(day.day).getUTCDay() === 1;
    const last = weeks.at(-1);
    if (!last || isMonday) weeks.push([day]);
    else last.push(day);
  }
  return weeks;
}

/** Where in its week a moment is, from 0 to 1: by the hours of its day, as a day may have 23 or 25 of them. */
function place(week: Day[], moment: number): number {
  const index = week.findIndex((d) => moment < at(d.until));
  const day = week[index];
  if (!day) return 1;
  const weekday = (new Date(day.day).getUTCDay() + 6) % 7;
  const share = Math.max(0, moment - at(day.from)) / (at(day.until) - at(day.from));
  return (weekday + share) / 7;
}

interface Piece {
  from: string;
  until: string;
  kind: "open" | "pause" | "ran" | "will-run";
  title: string;
}

function piecesOf(view: View): Piece[] {
  const span = (s: Schemas["Stretch"]) => `${time(s.from)} to ${time(s.until)}`;
  return [
    ...view.open.map((s) => ({ ...s, kind: "open" as const, title: `Open ${span(s)}` })),
    ...view.pauses.map((s) => ({
      ...s,
      kind: "pause" as const,
      title: `Paused ${span(s)}${s.why ? `: ${s.why}` : ""}`,
    })),
    ...view.willRun.map((s) => ({ ...s, kind: "will-run" as const, title: `First passes foreseen ${span(s)}` })),
    ...view.ran.map((s) => ({ ...s, kind: "ran" as const, title: `Passes ran ${span(s)}` })),
  ];
}

/** A batch's windows, pauses, passes that ran and will run, start, cutover and now, a row for each week. */
export function WeekStrip({ view }: { view: View }) {
  const weeks = weeksOf(view.days);
  const pieces = piecesOf(view);
  const height = HEAD + weeks.length * ROW;
  return (
    <div className="sheet padded stack">
      <svg
        className="weeks"
        viewBox={`0 0 ${LEFT + WIDTH + 4} ${height}`}
        role="img"
        aria-label={`Timetable of ${view.batch}, ${view.zone}`}
      >
        <defs>
          <pattern id="paused" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <line x1="0" y1="0" x2="0" y2="6" className="hatch" />
          </pattern>
        </defs>
        {["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"].map((name, i) => (
          <text key={name} x={LEFT + (i * WIDTH) / 7 + 4} y={13} className="weeks-day">
            {name}
          </text>
        ))}
        {weeks.map((week, row) => (
          <Week key={week[0]?.day} week={week} top={HEAD + row * ROW} pieces={pieces} view={view} />
        ))}
      </svg>
      <Legend view={view} />
    </div>
  );
}

function Week({ week, top, pieces, view }: { week: Day[]; top: number; pieces: Piece[]; view: View }) {
  const [first, last] = [week[0], week.at(-1)];
  if (!first || !last) return null;
  const [from, until] = [at(first.from), at(last.until)];
  const x = (moment: number) => LEFT + place(week, moment) * WIDTH;
  const isIn = (iso: string | null | undefined): iso is string => !!iso && at(iso) >= from && at(iso) < until;
  const marks = [
    { iso: view.start, word: "start" },
    { iso: view.cutover, word: "cutover" },
  ].filter((m) => isIn(m.iso));
  return (
    <g>
      <text x={0} y={top + 18} className="weeks-date">
        {dayDate.format(new Date(first.day))}
      </text>
      <rect x={x(from)} y={top + 4} width={x(until - 1) - x(from)} height={BAR} className="weeks-shut" />
      {pieces
        .filter((p) => at(p.from) < until && at(p.until) > from)
        .map((p) => {
          const [a, b] = [x(Math.max(from, at(p.from))), x(Math.min(until - 1, at(p.until)))];
          const isThin = p.kind === "ran" || p.kind === "will-run";
          return (
            <rect
              key={`${p.kind} ${p.from}`}
              x={a}
              y={isThin ? top + 16 : top + 4}
              width={Math.max(isThin ? 2 : 0, b - a)}
              height={isThin ? 14 : BAR}
              className={`weeks-${p.kind}`}
              fill={p.kind === "pause" ? "url(#paused)" : undefined}
            >
              <title>{p.title}</title>
            </rect>
          );
        })}
      {view.due
        .filter((d) => isIn(d.at))
        .map((d) => (
          <circle key={d.at} cx={x(at(d.at) + HOUR / 2)} cy={top + 10} r={2.5} className="weeks-due">
            <title>{`${plural(d.moves, "move")} due ${time(d.at)}`}</title>
          </circle>
        ))}
      {week.slice(1).map((d) => (
        <line
          key={d.day}
          x1={x(at(d.from))}
          x2={x(at(d.from))}
          y1={top + 4}
          y2={top + 4 + BAR}
          className="weeks-line"
        />
      ))}
      {marks.map((m) => (
        <g key={m.word}>
          <line x1={x(at(m.iso ?? ""))} x2={x(at(m.iso ?? ""))} y1={top} y2={top + 38} className="weeks-mark" />
          <text x={x(at(m.iso ?? "")) + 4} y={top + 41} className="weeks-word">
            {m.word} {dayName.format(new Date(m.iso ?? ""))}
          </text>
        </g>
      ))}
      {isIn(view.now) && (
        <g>
          <line x1={x(at(view.now))} x2={x(at(view.now))} y1={top} y2={top + 38} className="weeks-now" />
          <text x={x(at(view.now)) + 4} y={top + 41} className="weeks-word weeks-now-word">
            now
          </text>
        </g>
      )}
    </g>
  );
}

function Legend({ view }: { view: View }) {
  return (
    <div className="row soft legend">
      <Key kind="open" word="open" />
      <Key kind="shut" word="shut" />
      {view.pauses.length > 0 && <Key kind="pause" word="paused" />}
      <Key kind="ran" word="passes ran" />
      <Key kind="will-run" word="first passes foreseen" />
      <span>• moves due by themselves</span>
      <span>Times are those of {view.zone}.</span>
    </div>
  );
}

function Key({ kind, word }: { kind: string; word: string }) {
  return (
    <span className="row">
      <svg width="22" height="12" aria-hidden="true">
        <title>{word}</title>
        <rect width="22" height="12" className={`weeks-${kind}`} fill={kind === "pause" ? "url(#paused)" : undefined} />
      </svg>
      {word}
    </span>
  );
}
