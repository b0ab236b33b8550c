import { Button } from "@mantine/core";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { journalQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { FirstSteps } from "../parts/FirstSteps";
import { Loading } from "../parts/Loading";
import { SearchBox } from "../parts/SearchBox";
import { JournalTable } from "./JournalTable";

export function JournalPage() {
  const { search } = useSearch({ from: "/journal" });
  const navigate = useNavigate({ from: "/journal" });
  const journal = useInfiniteQuery({ ...journalQuery({ search }), placeholderData: (old) => old });
  if (journal.isPending) return <Loading />;
  if (journal.error) return <Failure error={journal.error} again={() => void journal.refetch()} />;
  const entries = journal.data.pages.flatMap((p) => p.items);
  if (entries.length === 0 && !search) return <FirstSteps title="Journal" />;
  return (
    <>
      <header>
        <h1>Journal</h1>
        <p className="lede">What happened and who asked for it, newest first. Nothing in it is ever changed.</p>
      </header>
      <div className="stack">
        <SearchBox
          label="Search the journal"
          placeholder="Search"
          value={search ?? ""}
          onSearch={(words) => void navigate({ search: { search: words || undefined }, replace: true })}
          width={320}
        />
        <JournalTable entries={entries} withPlace name="journal" />
        {journal.hasNextPage && (
          <Button
            variant="default"
            loading={journal.isFetchingNextPage}
            onClick={() => void journal.fetchNextPage()}
            style={{ alignSelf: "start" }}
          >
            Show older entries
          </Button>
        )}
      </div>
    </>
  );
}
