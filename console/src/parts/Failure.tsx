import { Button } from "@mantine/core";
import { ApiError } from "../api/client";

/** What went wrong, and what to do. */
export function Failure({ error, again }: { error: Error; again?: () => void }) {
  return (
    <div className="error-note" role="alert">
      <p>
        <strong>{error.message}</strong>
      </p>
      {error instanceof ApiError && error.remedy && <p>{error.remedy}.</p>}
      {again && (
        <Button mt="sm" size="xs" variant="default" onClick={again}>
          Try again
        </Button>
      )}
    </div>
  );
}
