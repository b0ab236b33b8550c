import { Button } from "@mantine/core";
import { useMutation, useQuery } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import { notifyFailure } from "../parts/notify";
import { ProblemNote } from "../parts/ProblemNote";
import { relative } from "../words/format";

/** How often the state of a pending consent is fetched, in milliseconds. */
const LOOK = 2000;

/** Asks the owner of an account for consent: with a code on another device, or in a browser window. */
export function ConsentBox({ service, account }: { service: string; account: string | null }) {
  const begin = useMutation({
    mutationFn: (who: string) =>
      unwrap(
        api.POST("/api/v1/services/{name}/consent", { params: { path: { name: service } }, body: { account: who } }),
      ),
    onError: notifyFailure,
  });
  const id = begin.data?.id ?? "";
  const state = useQuery({
    queryKey: ["consent", id],
    queryFn: () => unwrap(api.GET("/api/v1/consents/{id}", { params: { path: { id } } })),
    enabled: id !== "",
    refetchInterval: (q) => (q.state.data && q.state.data.state !== "pending" ? false : LOOK),
  });
  return (
    <>
      <Button
        variant="default"
        disabled={account === null}
        loading={begin.isPending}
        title={account === null ? "Name the account first" : undefined}
        onClick={() => account !== null && begin.mutate(account)}
      >
        Consent
      </Button>
      {begin.data && (
        <div className="stack" style={{ flexBasis: "100%" }} aria-live="polite">
          {state.data?.state === "given" && <div className="good">✓ Consent was given.</div>}
          {state.data?.problem && <ProblemNote problem={state.data.problem} />}
          {(!state.data || state.data.state === "pending") && (
            <div>
              Have the owner open{" "}
              <a href={begin.data.where} target="_blank" rel="noreferrer noopener">
                the service's page
              </a>
              {begin.data.userCode && (
                <>
                  {" "}
                  and type <strong>{begin.data.userCode}</strong>
                </>
              )}
              . It ends {relative(begin.data.ends)}.
            </div>
          )}
        </div>
      )}
    </>
  );
}
