import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { batchQuery } from "../api/queries";
import { forecastQuery, historyQuery, timetableQuery } from "../api/timetableQueries";
import { BatchTabs } from "../batch/BatchTabs";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { relative, sentence, time } from "../words/format";
import { ForecastBox } from "./ForecastBox";
import { HistoryPicture } from "./HistoryPicture";
import { WeekStrip } from "./WeekStrip";

/** When a batch may run, ran and will run; when it will be in step; how it got where it is. */
export function TimetablePage() {
  const { batch: name } = useParams({ from: "/batches/$batch/timetable" });
  const [whatIf, setWhatIf] = useState<string[]>([]);
  const batch = useQuery(batchQuery(name));
  const timetable = useQuery(timetableQuery(name));
  const forecast = useQuery(forecastQuery(name, whatIf));
  const history = useQuery(historyQuery(name));
  const error = batch.error ?? timetable.error ?? history.error;
  if (error) return <Failure error={error} again={() => void timetable.refetch()} />;
  if (!batch.data || !timetable.data || !history.data) return <Loading />;
  const view = timetable.data;
  return (
    <>
      <header>
        <div className="crumbs">
          <Link to="/batches">Batches</Link>
        </div>
        <h1>{name}</h1>
        <p className="lede">
          {view.words ? `${sentence(view.words)}.` : "The plan sets no timetable: passes run at all hours."} Priority{" "}
          {view.priority}. {nowOf(view)}
        </p>
        <BatchTabs batch={name} />
      </header>
      <h2>Weeks</h2>
      <WeekStrip view={view} />
      <h2>Forecast</h2>
      <ForecastBox
        batch={name}
        people={batch.data.people}
        forecast={forecast.data}
        error={forecast.error}
        asked={whatIf}
        onAsk={setWhatIf}
      />
      <h2>How it came here, and goes on</h2>
      <HistoryPicture points={history.data} people={batch.data.people} forecast={forecast.data} />
    </>
  );
}

function nowOf({ opensNext, closesNext, pausedBecause }: Schemas["TimetableView"]): string {
  const why = pausedBecause ? ` (${pausedBecause})` : "";
  if (opensNext) return `Shut now${why}; opens ${time(opensNext)} (${relative(opensNext)}).`;
  if (pausedBecause) return `Shut now${why}; it does not open again.`;
  return closesNext ? `Open now; closes ${time(closesNext)} (${relative(closesNext)}).` : "Open now.";
}
