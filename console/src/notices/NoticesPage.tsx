import { Button, Group } from "@mantine/core";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { noticeSettingsQuery, noticesQuery, switchNotices } from "../api/noticeQueries";
import { Failure } from "../parts/Failure";
import { Loading } from "../parts/Loading";
import { SearchBox } from "../parts/SearchBox";
import { number, relative } from "../words/format";
import { NoticePreview } from "./NoticePreview";
import { NoticesTable } from "./NoticesTable";
import { ABOUT_WORDS, STATE_WORDS } from "./words";

/** Whom the service told of what, and how its letters look. */
export function NoticesPage() {
  const { search } = useSearch({ from: "/notices" });
  const navigate = useNavigate({ from: "/notices" });
  const client = useQueryClient();
  const settings = useQuery(noticeSettingsQuery);
  const notices = useInfiniteQuery({ ...noticesQuery({ search }), placeholderData: (old) => old });
  const turn = useMutation({
    mutationFn: switchNotices,
    onSuccess: () => client.invalidateQueries({ queryKey: ["notices"] }),
  });
  if (notices.isPending || settings.isPending) return <Loading />;
  if (notices.error) return <Failure error={notices.error} again={() => void notices.refetch()} />;
  if (settings.error) return <Failure error={settings.error} again={() => void settings.refetch()} />;
  const told = settings.data;
  const isOff = told.offSince != null;
  const isPlanned = told.from != null || told.webhooks.length > 0;
  return (
    <>
      <header>
        <div className="row spread">
          <h1>Notices</h1>
          {isPlanned && (
            <Button
              variant={isOff ? "filled" : "default"}
              loading={turn.isPending}
              onClick={() => turn.mutate({ on: isOff, batch: null })}
            >
              {isOff ? "Switch notices on" : "Switch all off"}
            </Button>
          )}
        </div>
        <p className="lede">Whom the service told of what: each once, whatever crashes.</p>
      </header>
      <div className="stack">
        {told.offSince && (
          <div className="error-note" role="status">
            <p>
              <strong>All notices were switched off {relative(told.offSince)}.</strong> What falls due meanwhile is
              dropped.
            </p>
          </div>
        )}
        <div className="sheet padded stack">
          {isPlanned ? (
            <>
              <Line word="To administrators">
                {told.administrators.length === 0
                  ? "nobody"
                  : `${told.administrators.join(", ")}: ${told.administratorsAbout.map((a) => ABOUT_WORDS[a]).join(", ")}`}
              </Line>
              <Line word="To the people who move">
                {told.peopleAbout.length === 0 ? "nothing" : told.peopleAbout.map((a) => ABOUT_WORDS[a]).join(", ")}
              </Line>
              <Line word="Webhooks">{told.webhooks.length === 0 ? "none" : told.webhooks.join(", ")}</Line>
              {told.offBatches.length > 0 && <Line word="Switched off for">{told.offBatches.join(", ")}</Line>}
              <Line word="So far">
                {Object.entries(told.states)
                  .map(([state, count]) => `${number(count)} ${STATE_WORDS[state as keyof typeof STATE_WORDS]}`)
                  .join(", ") || "nobody was told of anything"}
              </Line>
            </>
          ) : (
            <p>
              The plan in force tells nobody of anything. Write <code>notices:</code> into it, with a sender and who is
              to be told of what, and apply it.
            </p>
          )}
        </div>
        {isPlanned && (
          <>
            <Group>
              <SearchBox
                label="Search notices"
                placeholder="Recipient, account or subject"
                value={search ?? ""}
                onSearch={(words) => void navigate({ search: { search: words || undefined }, replace: true })}
                width={320}
              />
            </Group>
            <NoticesTable notices={notices.data.pages.flatMap((p) => p.items)} />
            {notices.hasNextPage && (
              <Button
                variant="default"
                loading={notices.isFetchingNextPage}
                onClick={() => void notices.fetchNextPage()}
                style={{ alignSelf: "start" }}
              >
                Show older notices
              </Button>
            )}
            <h2>How letters look</h2>
            <NoticePreview canSend={told.from != null} />
          </>
        )}
      </div>
    </>
  );
}

function Line({ word, children }: { word: string; children: string }) {
  return (
    <div>
      <strong>{word}:</strong> {children}
    </div>
  );
}
