import { Button, Modal, TextInput } from "@mantine/core";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import {
  type FolderRef,
  type ItemSearch,
  itemsQuery,
  type Look,
  type ParcelItem,
  textQuery,
} from "../api/parcelQueries";
import { Failure } from "../parts/Failure";
import { GridSheet } from "../parts/GridSheet";
import { Loading } from "../parts/Loading";
import { SearchBox } from "../parts/SearchBox";
import { date, size } from "../words/format";

const NOTHING = { from: "", subject: "", since: "", before: "" };

/** Messages, contacts and events of a parcel, looked for and read one by one. */
export function ItemSheet({ look, folder }: { look: Look; folder: FolderRef | null }) {
  const [words, setWords] = useState(NOTHING);
  const [read, setRead] = useState<ParcelItem | null>(null);
  const search: ItemSearch = {
    kind: folder?.kind ?? null,
    folder: folder?.name ?? null,
    from: words.from || null,
    subject: words.subject || null,
    since: words.since ? `${words.since}T00:00:00Z` : null,
    before: words.before ? `${words.before}T00:00:00Z` : null,
  };
  const items = useInfiniteQuery({ ...itemsQuery(look, search), placeholderData: (old) => old });
  const rows = items.data?.pages.flatMap((p) => p.items) ?? [];
  const set = (part: Partial<typeof NOTHING>) => setWords((w) => ({ ...w, ...part }));
  return (
    <div className="stack">
      <div className="row">
        <SearchBox
          label="Sender"
          placeholder="Sender"
          value={words.from}
          onSearch={(from) => set({ from })}
          width={150}
        />
        <SearchBox
          label="Subject or name"
          placeholder="Subject or name"
          value={words.subject}
          onSearch={(subject) => set({ subject })}
          width={180}
        />
        <Day label="Received since" value={words.since} onChange={(since) => set({ since })} />
        <Day label="Received before" value={words.before} onChange={(before) => set({ before })} />
      </div>
      {items.error ? (
        <Failure error={items.error} again={() => void items.refetch()} />
      ) : items.isPending ? (
        <Loading />
      ) : rows.length === 0 ? (
        <p className="sheet padded soft">Nothing in it fits.</p>
      ) : (
        <GridSheet label="Items">
          <table className="grid tight">
            <thead>
              <tr>
                <th scope="col">Subject or name</th>
                <th scope="col">Sender</th>
                <th scope="col">Received</th>
                <th scope="col" className="num">
                  Size
                </th>
              </tr>
            </thead>
            <tbody>
              {rows.map((item) => (
                <tr key={`${item.file} ${item.path}`}>
                  <td>
                    <button type="button" className="link" onClick={() => setRead(item)}>
                      {item.subject || "(without a subject)"}
                    </button>
                    {folder === null && <div className="soft">{item.folder}</div>}
                  </td>
                  <td className="breaks">{item.from}</td>
                  <td className="nowrap" title={item.received ?? undefined}>
                    {item.received && date(item.received)}
                  </td>
                  <td className="num nowrap">{size(item.octets)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </GridSheet>
      )}
      {items.hasNextPage && (
        <Button
          variant="default"
          loading={items.isFetchingNextPage}
          onClick={() => void items.fetchNextPage()}
          style={{ alignSelf: "start" }}
        >
          Show more
        </Button>
      )}
      <Modal
        opened={read !== null}
        onClose={() => setRead(null)}
        title={read?.subject || "Without a subject"}
        size="xl"
      >
        {read && <Text look={look} item={read} />}
      </Modal>
    </div>
  );
}

function Day({ label, value, onChange }: { label: string; value: string; onChange: (day: string) => void }) {
  return (
    <TextInput
      type="date"
      size="xs"
      aria-label={label}
      title={label}
      value={value}
      onChange={(e) => onChange(e.currentTarget.value)}
    />
  );
}

/** As text: nothing in it is executed, and nothing is fetched from anywhere. */
function Text({ look, item }: { look: Look; item: ParcelItem }) {
  const text = useQuery(textQuery(look, item.file, item.path));
  if (text.error) return <Failure error={text.error} again={() => void text.refetch()} />;
  if (!text.data) return <Loading />;
  return (
    <div className="stack">
      {text.data.headers.length > 0 && (
        <table className="grid tight">
          <tbody>
            {text.data.headers.map((h, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a header may have the same field and value twice
              <tr key={i}>
                <th scope="row">{h.field}</th>
                <td className="breaks">{h.value}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {text.data.isHtml && (
        <p className="soft">The message is HTML; it is shown as it is written, and nothing of it runs.</p>
      )}
      <pre className="item-text">{text.data.text}</pre>
      {text.data.parts.length > 0 && (
        <ul>
          {text.data.parts.map((p, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: two parts may be alike
            <li key={i}>
              {p.name || "without a name"}, {p.type}, {size(p.octets)}
            </li>
          ))}
        </ul>
      )}
      <p className="soft breaks" style={{ margin: 0 }}>
        {item.path} in {item.file} · SHA-256 {item.sha256}
        {item.flags.length > 0 && ` · ${item.flags.join(" ")}`}
      </p>
    </div>
  );
}
