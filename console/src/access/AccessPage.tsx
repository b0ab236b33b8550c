import { useQuery } from "@tanstack/react-query";
import { tokensQuery } from "../api/tokenQueries";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { MakeToken } from "./MakeToken";
import { TokenTable } from "./TokenTable";

/** Who may use the service: the tokens that were made, and the browsers that are signed in with them. */
export function AccessPage() {
  const tokens = useQuery(tokensQuery);
  if (tokens.isPending) return <Loading />;
  if (tokens.error) return <Failure error={tokens.error} again={() => void tokens.refetch()} />;
  return (
    <>
      <header>
        <h1>Access</h1>
        <p className="lede">
          Whoever holds a token may do everything here. Give each person and each program one of their own: the journal
          names it, and it can be revoked by itself.
        </p>
      </header>
      <MakeToken />
      <h2>Tokens</h2>
      <TokenTable tokens={tokens.data} />
    </>
  );
}
