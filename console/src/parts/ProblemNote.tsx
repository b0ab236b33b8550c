import type { Problem } from "../api/client";
import { sentence } from "../words/format";

export function ProblemNote({ problem }: { problem: Problem }) {
  return (
    <div className="error-note">
      <p>
        <strong>{sentence(problem.what)}.</strong>
      </p>
      <p>{problem.remedy}.</p>
    </div>
  );
}
