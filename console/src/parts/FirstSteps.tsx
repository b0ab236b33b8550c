import { Link } from "@tanstack/react-router";

/** What comes first on a new installation; every page that has nothing to show yet says it under its own title. */
export function FirstSteps({ title }: { title: string }) {
  return (
    <>
      <header>
        <h1>{title}</h1>
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
