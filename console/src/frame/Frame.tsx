import { useQuery } from "@tanstack/react-query";
import { Outlet } from "@tanstack/react-router";
import { useRef } from "react";
import { ApiError } from "../api/client";
import { useLive } from "../api/live";
import { sessionQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { SignIn } from "../signin/SignIn";
import { Rail } from "./Rail";
import { useArrival } from "./useArrival";

/** The navigation around every page. Without a session it shows the sign-in page instead. */
export function Frame() {
  const session = useQuery(sessionQuery);
  if (session.isPending)
    return (
      <main className="page">
        <Loading />
      </main>
    );
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
  const main = useRef<HTMLElement>(null);
  useArrival(main);
  return (
    <div className="frame">
      <Rail version={version} />
      <main className="page" ref={main} tabIndex={-1}>
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
