import type { Problem } from "../api/client";
import { sentence } from "../words/format";

/** @param about The kind that it concerns, where the page shows several kinds. */
export function ProblemNote({ problem, about }: { problem: Problem; about?: string | undefined }) {
  return (
    <div className="error-note">
      <p>
        <strong>{about ? `${about}: ${problem.what}` : sentence(problem.what)}.</strong>
      </p>
      <p>{problem.remedy}.</p>
    </div>
  );
}
