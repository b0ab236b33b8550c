import { Button, PasswordInput } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, setAntiforgery, unwrap } from "../api/client";
import { sessionQuery } from "../api/queries";
import { Failure } from "../parts/Failure";

/** Exchanges the access token for a session. The token is sent once and not stored in the browser. */
export function SignIn() {
  const client = useQueryClient();
  const [token, setToken] = useState("");
  const signIn = useMutation({
    mutationFn: () => unwrap(api.POST("/api/v1/session", { body: { token } })),
    onSuccess: (session) => {
      setAntiforgery(session.antiforgery);
      client.setQueryData(sessionQuery.queryKey, session);
      // Queries that failed with 401 are fetched again.
      void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    signIn.mutate();
  };
  return (
    <main className="sign-in">
      <form className="sheet stack" onSubmit={submit}>
        <div className="brand">
          <img src="/mark.svg" width="26" height="26" alt="" />
          <h1 style={{ fontSize: 18, margin: 0 }}>Easy Caravan</h1>
        </div>
        <PasswordInput
          label="Access token"
          description="In the file admin.token in the service's data folder"
          value={token}
          onChange={(e) => setToken(e.currentTarget.value)}
          autoFocus
          autoComplete="off"
        />
        {signIn.error && <Failure error={signIn.error} />}
        <Button type="submit" loading={signIn.isPending} disabled={token.trim() === ""}>
          Sign in
        </Button>
      </form>
    </main>
  );
}
