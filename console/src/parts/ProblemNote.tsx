import type { Problem } from "../api/client";

export function ProblemNote({ problem }: { problem: Problem }) {
  return (
    <div className="error-note">
      <p>
        <strong>{problem.what}.</strong>
      </p>
      <p>{problem.remedy}.</p>
    </div>
  );
}
