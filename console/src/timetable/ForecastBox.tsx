import { Button, TextInput } from "@mantine/core";
import { type FormEvent, useState } from "react";
import type { Schemas } from "../api/client";
import { ApiError } from "../api/client";
import { duration, plural, time } from "../words/format";

type Forecast = Schemas["ForecastView"];

const WORDS: Record<Schemas["ObstacleWord"], string> = {
  shut: "no window is open",
  workers: "all moves that run at a time are in use",
  service: "all connections are in use",
  "day-limit": "a day's limit is used up",
  work: "only the last mailboxes run",
};

interface Props {
  batch: string;
  people: number;
  forecast: Forecast | undefined;
  error: Error | null;
  asked: string[];
  onAsk: (whatIf: string[]) => void;
}

/** When the batch will be in step, what holds it back, and what a change would do. */
export function ForecastBox({ batch, people, forecast, error, asked, onAsk }: Props) {
  return (
    <div className="sheet padded stack">
      {forecast && <Outlook forecast={forecast} people={people} />}
      <Ask
        batch={batch}
        error={error}
        onAsk={(change) => onAsk([...asked.filter((a) => a !== change), change].slice(-8))}
      />
    </div>
  );
}

function Outlook({ forecast, people }: { forecast: Forecast; people: number }) {
  return (
    <>
      <div>
        <strong>{forecast.sentence}</strong>
      </div>
      {forecast.obstacles.length > 0 && (
        <div>
          Until then:{" "}
          {forecast.obstacles
            .map((o) => `${WORDS[o.on]}${o.service ? ` at ${o.service}` : ""} ${Math.round(o.share * 100)} %`)
            .join(", ")}{" "}
          of the time.
        </div>
      )}
      <div className="soft">
        {forecast.measured > 0
          ? `Rates were measured on ${plural(forecast.measured, "first pass", "first passes")}.`
          : "Rates are assumed until first passes were measured."}
        {forecast.notStarted > 0 &&
          ` ${plural(forecast.notStarted, "person has", "people have")} not started: foreseen to start with the timetable, or now.`}
        {forecast.assumed > 0 &&
          ` ${plural(forecast.assumed, "person is", "people are")} not surveyed, and taken to be like the others.`}
        {forecast.apart > 0 &&
          ` ${plural(forecast.apart, "person is", "people are")} not in it: held, or in need of somebody.`}
      </div>
      {forecast.days.length > 1 && <DaysInStep days={forecast.days} people={people} />}
      {forecast.whatIf.length > 0 && <Changes changes={forecast.whatIf} />}
    </>
  );
}

/** How many people are in step at the end of each day: the slow course is full, what the fast one adds is light. */
function DaysInStep({ days, people }: { days: Forecast["days"]; people: number }) {
  const shown = days.slice(0, 42);
  const width = 1000 / Math.max(shown.length, 7);
  const height = (count: number) => (count / Math.max(1, people)) * 90;
  const first = shown[0];
  const last = shown.at(-1);
  return (
    <figure className="picture">
      <svg viewBox="0 0 1000 112" role="img" aria-label="People in step at the end of each day">
        {shown.map((d, i) => (
          <g key={d.day}>
            <rect
              x={i * width + 1}
              y={96 - height(d.most)}
              width={width - 2}
              height={height(d.most)}
              className="day-most"
            />
            <rect
              x={i * width + 1}
              y={96 - height(d.fewest)}
              width={width - 2}
              height={height(d.fewest)}
              className="day-fewest"
            />
            <rect x={i * width} y={0} width={width} height={96} fill="transparent">
              <title>{`${d.day}: ${d.fewest === d.most ? d.most : `${d.fewest} to ${d.most}`} of ${people} in step`}</title>
            </rect>
          </g>
        ))}
        <line x1="0" x2="1000" y1="96" y2="96" className="weeks-line" />
        <text x="0" y="109" className="weeks-word">
          {first?.day}
        </text>
        <text x={shown.length * width} y="109" textAnchor="end" className="weeks-word">
          {last?.day}
        </text>
      </svg>
      <figcaption className="soft">
        People in step at the end of each day, of {people}: dark if it goes slowly, light if it goes fast.
      </figcaption>
    </figure>
  );
}

function Changes({ changes }: { changes: Forecast["whatIf"] }) {
  return (
    <table className="grid">
      <caption className="visually-hidden">What changes would do</caption>
      <thead>
        <tr>
          <th scope="col">With</th>
          <th scope="col">In step by</th>
          <th scope="col">Difference</th>
        </tr>
      </thead>
      <tbody>
        {changes.map((c) => (
          <tr key={c.change}>
            <td>
              <code>{c.change}</code>
            </td>
            <td>{c.inStepLatest ? time(c.inStepLatest) : "not within half a year"}</td>
            <td>{differenceOf(c)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function differenceOf({ earlier }: Forecast["whatIf"][number]): string {
  if (typeof earlier !== "number") return "";
  if (Math.abs(earlier) < 300) return "none";
  return earlier > 0 ? `${duration(earlier)} earlier` : `${duration(-earlier)} later`;
}

function Ask({ batch, error, onAsk }: { batch: string; error: Error | null; onAsk: (change: string) => void }) {
  const [change, setChange] = useState("");
  const ask = (event: FormEvent) => {
    event.preventDefault();
    if (change.trim()) onAsk(change.trim());
  };
  return (
    <form className="row" onSubmit={ask} aria-label={`What would a change do to ${batch}?`}>
      <TextInput
        label="What if …"
        placeholder="windows=all, pauses=none, connections.northquay=40, at-once=16, people=50"
        value={change}
        onChange={(e) => setChange(e.currentTarget.value)}
        error={error ? (error instanceof ApiError ? `${error.message} ${error.remedy}` : error.message) : undefined}
        style={{ flex: 1, maxWidth: 560 }}
      />
      <Button type="submit" variant="default" disabled={!change.trim()} style={{ alignSelf: "end" }}>
        Try
      </Button>
    </form>
  );
}
