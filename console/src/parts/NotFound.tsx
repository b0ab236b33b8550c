import { Link } from "@tanstack/react-router";

export function NotFound() {
  return (
    <div className="stack">
      <h1>There is nothing here</h1>
      <p className="lede">
        The address leads nowhere. <Link to="/">Today</Link> shows what there is.
      </p>
    </div>
  );
}
