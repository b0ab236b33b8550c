import { Link } from "@tanstack/react-router";

/** The pages of one batch. */
export function BatchTabs({ batch }: { batch: string }) {
  return (
    <nav className="tabs" aria-label="Pages of this batch">
      <Link to="/batches/$batch" params={{ batch }} activeOptions={{ exact: true }}>
        People
      </Link>
      <Link to="/batches/$batch/timetable" params={{ batch }}>
        Timetable
      </Link>
      <Link to="/batches/$batch/crossing" params={{ batch }}>
        Crossing
      </Link>
      <Link to="/batches/$batch/aftercare" params={{ batch }}>
        Afterwards
      </Link>
      <Link to="/batches/$batch/survey" params={{ batch }}>
        Survey
      </Link>
      <Link to="/batches/$batch/folders" params={{ batch }}>
        Folders
      </Link>
      <Link to="/batches/$batch/collections" params={{ batch }}>
        Contacts and calendars
      </Link>
    </nav>
  );
}
