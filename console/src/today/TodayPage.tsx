import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { todayQuery } from "../api/queries";
import { BatchCards } from "../batch/BatchCards";
import { Failure } from "../parts/Failure";
import { DayStrip } from "./DayStrip";
import { NeedsYou } from "./NeedsYou";
import { RunningNow } from "./RunningNow";
import { SlotUse } from "./SlotUse";

/** What needs me, what runs, what comes next. */
export function TodayPage() {
  const today = useQuery(todayQuery);
  if (today.isPending) return null;
  if (today.error) return <Failure error={today.error} again={() => void today.refetch()} />;
  const { needsYou, running, next, services, batches } = today.data;
  if (batches.length === 0) return <FirstSteps />;
  return (
    <>
      <header>
        <h1>Today</h1>
        <p className="lede">
          {needsYou.length === 0 ? "Nothing needs you." : "Some things need you; everybody else goes on."}
        </p>
      </header>
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

function FirstSteps() {
  return (
    <>
      <header>
        <h1>Today</h1>
        <p className="lede">No plan was applied yet.</p>
      </header>
      <div className="sheet padded stack">
        <p style={{ margin: 0 }}>
          Write a plan file (services, routes, batches) and a roster of people, then run{" "}
          <code>caravan plan apply FILE</code>. The batches appear here at once; <Link to="/services">Services</Link>{" "}
          shows whether they let us in.
        </p>
      </div>
    </>
  );
}
