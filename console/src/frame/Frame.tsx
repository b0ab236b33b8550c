import { useQuery } from "@tanstack/react-query";
import { Outlet } from "@tanstack/react-router";
import { ApiError } from "../api/client";
import { useLive } from "../api/live";
import { sessionQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { SignIn } from "../signin/SignIn";
import { Rail } from "./Rail";

/** Everything around the pages. Whoever is not signed in sees only the way in. */
export function Frame() {
  const session = useQuery(sessionQuery);
  if (session.isPending) return null;
  if (session.error instanceof ApiError && session.error.status === 401) return <SignIn />;
  if (session.error)
    return (
      <main className="page">
        <Failure error={session.error} again={() => void session.refetch()} />
      </main>
    );
  return <SignedIn version={session.data.version} />;
}

function SignedIn({ version }: { version: string }) {
  const connected = useLive();
  return (
    <div className="frame">
      <Rail version={version} />
      <main className="page">
        {!connected && (
          <p className="warn-note" role="status">
            The service does not answer at the moment. What you see may be old; the page comes back by itself.
          </p>
        )}
        <Outlet />
      </main>
    </div>
  );
}
