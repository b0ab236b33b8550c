import { Button } from "@mantine/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { revokeToken, type Token, tokensQuery } from "../api/tokenQueries";
import { type DataColumn, DataTable } from "../parts/DataTable";
import { Failure } from "../parts/Failure";
import { notifySuccess } from "../parts/notify";
import { farTime, relative } from "../words/format";

function stateOf(token: Token): string {
  if (token.isGood) return "● lets its holder in";
  return token.revokedAt ? "○ revoked" : "○ over";
}

const COLUMNS: DataColumn<Token>[] = [
  { title: "Name", csv: "name", value: (t) => t.name, cell: (t) => (t.isYours ? `${t.name} (yours)` : t.name) },
  { title: "State", csv: "state", value: stateOf },
  {
    title: "Made",
    csv: "created_at",
    value: (t) => t.createdAt,
    cell: (t) => `${farTime(t.createdAt)} by ${t.createdBy ?? "the service"}`,
  },
  {
    title: "Ends",
    csv: "ends_at",
    value: (t) => t.revokedAt ?? t.endsAt,
    cell: (t) => {
      const end = t.revokedAt ?? t.endsAt;
      return end ? farTime(end) : "never";
    },
  },
  {
    title: "Last used",
    csv: "used_at",
    value: (t) => t.usedAt,
    cell: (t) => (t.usedAt ? relative(t.usedAt) : "never"),
  },
  { title: "Browsers signed in", csv: "sessions", value: (t) => t.sessions, number: true },
  {
    title: "Revoke",
    csv: "may_be_revoked",
    value: (t) => `${t.isGood}`,
    cell: (t) => t.isGood && <Revoke token={t} />,
  },
];

export function TokenTable({ tokens }: { tokens: Token[] }) {
  return (
    <DataTable
      label="Tokens"
      rows={tokens}
      columns={COLUMNS}
      rowKey={(t) => `${t.name} ${t.createdAt}`}
      empty="No token was made yet."
      name="tokens"
      unit={["token", "tokens"]}
    />
  );
}

/** Asks once more: what runs with the token stops at once. */
function Revoke({ token }: { token: Token }) {
  const client = useQueryClient();
  const [asks, setAsks] = useState(false);
  const revoke = useMutation({
    mutationFn: () => revokeToken(token.name),
    onSuccess: () => {
      notifySuccess(`${token.name} is revoked`);
      void client.invalidateQueries(tokensQuery);
    },
  });
  if (revoke.error) return <Failure error={revoke.error} />;
  if (!asks)
    return (
      <Button size="compact-xs" variant="default" aria-label={`Revoke ${token.name}`} onClick={() => setAsks(true)}>
        Revoke…
      </Button>
    );
  return (
    <span className="row">
      <span>{token.isYours ? "You are signed in with it." : "Its holder is locked out at once."}</span>
      <Button size="compact-xs" color="red" loading={revoke.isPending} onClick={() => revoke.mutate()}>
        Revoke it
      </Button>
      <Button size="compact-xs" variant="subtle" onClick={() => setAsks(false)}>
        Keep it
      </Button>
    </span>
  );
}
