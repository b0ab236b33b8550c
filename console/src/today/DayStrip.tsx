import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { plural, relative } from "../words/format";

const DAY = 86_400_000;
const name = new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "short" });
const hour = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZoneName: "short" });

/** Seven days from today, with what falls on each. */
export function DayStrip({ next }: { next: Schemas["Upcoming"][] }) {
  const midnight = new Date().setHours(0, 0, 0, 0);
  const days = Array.from({ length: 7 }, (_, i) => ({ start: midnight + i * DAY, end: midnight + (i + 1) * DAY }));
  return (
    <div className="sheet days">
      {days.map((day) => (
        <div key={day.start}>
          <h3>{day.start === midnight ? "Today" : name.format(day.start)}</h3>
          {next
            .filter((n) => Date.parse(n.at) < day.end && (day.start === midnight || Date.parse(n.at) >= day.start))
            .map((n) => (
              <div key={`${n.batch} ${n.what}`}>
                <Link to="/batches/$batch" params={{ batch: n.batch }}>
                  {n.batch}
                </Link>
                : {n.what} {hour.format(new Date(n.at))}{" "}
                <span className="soft">
                  ({relative(n.at)}, {plural(n.moves, "person", "people")})
                </span>
              </div>
            ))}
        </div>
      ))}
    </div>
  );
}
