import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { ApiError } from "../api/client";
import { planQuery } from "../api/surveyQueries";
import { DataTable } from "../parts/DataTable";
import { Failure } from "../parts/Failure";
import { FirstSteps } from "../parts/FirstSteps";
import { Loading } from "../parts/Loading";
import { number, plural, relative, time } from "../words/format";
import { RouteCard } from "./RouteCard";

/** What is planned: who moves together, over which routes and by which rules. */
export function PlanPage() {
  const plan = useQuery(planQuery);
  if (plan.isPending) return <Loading />;
  if (plan.error instanceof ApiError && plan.error.status === 404) return <FirstSteps title="Plan" />;
  if (plan.error)
    return (
      <>
        <header>
          <h1>Plan</h1>
        </header>
        <Failure error={plan.error} again={() => void plan.refetch()} />
      </>
    );
  const { batches, file, appliedAt, appliedBy, text } = plan.data;
  const routes = batches.filter((b, i) => batches.findIndex((o) => o.route === b.route) === i);
  return (
    <>
      <header>
        <h1>Plan</h1>
        <p className="lede">
          {file}, put in force {relative(appliedAt)} ({time(appliedAt)}) by {appliedBy}.{" "}
          {plural(
            batches.reduce((sum, b) => sum + b.people, 0),
            "person",
            "people",
          )}{" "}
          in {plural(batches.length, "batch", "batches")}.
        </p>
      </header>
      <h2>Batches and their rosters</h2>
      <DataTable
        label="Batches"
        rows={batches}
        rowKey={(b) => b.name}
        empty="The plan has no batch."
        name="batches"
        unit={["batch", "batches"]}
        columns={[
          {
            title: "Batch",
            csv: "batch",
            value: (b) => b.name,
            cell: (b) => (
              <Link to="/batches/$batch" params={{ batch: b.name }}>
                {b.name}
              </Link>
            ),
          },
          { title: "Roster", csv: "roster", value: (b) => b.roster },
          { title: "Route", csv: "route", value: (b) => b.route },
          { title: "From", csv: "from", value: (b) => b.from },
          { title: "To", csv: "to", value: (b) => b.to },
          { title: "Windows", csv: "windows", value: (b) => b.windows ?? "at all hours", wide: true },
          { title: "People", csv: "people", value: (b) => b.people, cell: (b) => number(b.people), number: true },
          {
            title: "Before the move",
            csv: "survey",
            value: (b) => b.name,
            cell: (b) => (
              <span className="row" style={{ flexWrap: "nowrap" }}>
                <Link to="/batches/$batch/survey" params={{ batch: b.name }} aria-label={`Survey of ${b.name}`}>
                  Survey
                </Link>
                <Link to="/batches/$batch/folders" params={{ batch: b.name }} aria-label={`Folders of ${b.name}`}>
                  Folders
                </Link>
              </span>
            ),
          },
        ]}
      />
      <h2>Routes and their rules</h2>
      <div className="cards" style={{ gridTemplateColumns: "repeat(auto-fill, minmax(460px, 1fr))" }}>
        {routes.map((b) => (
          <RouteCard key={b.route} batch={b} />
        ))}
      </div>
      <h2>The file</h2>
      <p className="soft">
        Change it where you keep it and run “caravan plan apply”; folder rules can be changed here too. What was changed
        here stands in this text.
      </p>
      <section
        className="sheet padded"
        aria-label="The plan's text"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls must be reachable by keyboard
        tabIndex={0}
        style={{ overflow: "auto", maxHeight: 520 }}
      >
        <pre style={{ margin: 0, fontSize: 13.5 }}>{text}</pre>
      </section>
    </>
  );
}
