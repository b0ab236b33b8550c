import { TextInput } from "@mantine/core";
import { IconSearch } from "@tabler/icons-react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { journalQuery } from "../api/queries";
import { Failure } from "../parts/Failure";
import { FirstSteps } from "../parts/FirstSteps";
import { Loading } from "../parts/Loading";
import { JournalTable } from "./JournalTable";

export function JournalPage() {
  const journal = useQuery(journalQuery());
  const [search, setSearch] = useState("");
  if (journal.isPending) return <Loading />;
  if (journal.error) return <Failure error={journal.error} again={() => void journal.refetch()} />;
  if (journal.data.items.length === 0) return <FirstSteps title="Journal" />;
  const words = search.trim().toLowerCase();
  const entries = journal.data.items.filter(
    (e) => words === "" || [e.text, e.who, e.batch ?? "", e.account ?? ""].some((t) => t.toLowerCase().includes(words)),
  );
  return (
    <>
      <header>
        <h1>Journal</h1>
        <p className="lede">What happened and who asked for it, newest first. Nothing in it is ever changed.</p>
      </header>
      <div className="stack">
        <TextInput
          aria-label="Search the journal"
          placeholder="Search"
          leftSection={<IconSearch size={16} aria-hidden />}
          value={search}
          onChange={(e) => setSearch(e.currentTarget.value)}
          w={320}
        />
        <JournalTable entries={entries} withPlace name="journal" />
        {journal.data.next && <p className="soft">Older entries: caravan journal --most 1000</p>}
      </div>
    </>
  );
}
