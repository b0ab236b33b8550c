import { useQuery } from "@tanstack/react-query";
import { todayQuery } from "../api/queries";
import { BatchCards } from "../batch/BatchCards";
import { Failure } from "../parts/Failure";
import { FirstSteps } from "../parts/FirstSteps";
import { Loading } from "../parts/Loading";
import { DayStrip } from "./DayStrip";
import { NeedsYou } from "./NeedsYou";
import { RunningNow } from "./RunningNow";
import { SinceYouLooked } from "./SinceYouLooked";
import { SlotUse } from "./SlotUse";

/** The start page: what needs a person, what is running, and what comes next. */
export function TodayPage() {
  const today = useQuery(todayQuery);
  if (today.isPending) return <Loading />;
  if (today.error) return <Failure error={today.error} again={() => void today.refetch()} />;
  const { since, needsYou, running, next, services, batches } = today.data;
  if (batches.length === 0) return <FirstSteps title="Today" />;
  return (
    <>
      <header>
        <h1>Today</h1>
        <p className="lede">
          {needsYou.length === 0 ? "Nothing needs you." : "Some things need you; everybody else goes on."}
        </p>
      </header>
      <SinceYouLooked since={since} />
      <h2>Needs you</h2>
      <NeedsYou groups={needsYou} />
      <h2>Runs now</h2>
      <SlotUse services={services} />
      <RunningNow moves={running} />
      <h2>Comes next</h2>
      <DayStrip next={next} />
      <h2>Batches</h2>
      <BatchCards batches={batches} />
    </>
  );
}
