import { Button, Menu, PasswordInput, Select } from "@mantine/core";
import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useSearch } from "@tanstack/react-router";
import { type FormEvent, useState } from "react";
import type { Schemas } from "../api/client";
import {
  contentsQuery,
  coverAddress,
  coverOf,
  type FolderRef,
  fileAddress,
  type Look,
  wantsPassword,
} from "../api/parcelQueries";
import { Failure } from "../parts/Failure";
import { FigureRow } from "../parts/Figures";
import { Loading } from "../parts/Loading";
import { notifyFailure } from "../parts/notify";
import { date, farTime, number, plural, size } from "../words/format";
import { ITEM_WORDS, KIND_WORDS } from "../words/states";
import { ItemSheet } from "./ItemSheet";
import { OpenForm } from "./OpenForm";

/** What is in one parcel, without unpacking it. */
export function ParcelPage() {
  const { place, name } = useSearch({ from: "/parcels/look" });
  const [password, setPassword] = useState<string | null>(null);
  const look: Look = { place, name, password, asOf: null };
  const contents = useQuery(contentsQuery(look));
  if (contents.isPending) return <Loading />;
  if (contents.error) {
    return (
      <>
        <Crumbs name={name} />
        {wantsPassword(contents.error) ? (
          <PasswordForm name={name} isWrong={password !== null} onGiven={setPassword} />
        ) : (
          <Failure error={contents.error} again={() => void contents.refetch()} />
        )}
      </>
    );
  }
  return <Inside whole={look} asItIs={contents.data} />;
}

function Crumbs({ name }: { name: string }) {
  return (
    <header>
      <nav className="crumbs" aria-label="Where you are">
        <Link to="/parcels">Parcels</Link>
      </nav>
      <h1>{name}</h1>
    </header>
  );
}

function PasswordForm({ name, isWrong, onGiven }: { name: string; isWrong: boolean; onGiven: (p: string) => void }) {
  const [password, setPassword] = useState("");
  function submit(event: FormEvent) {
    event.preventDefault();
    if (password) onGiven(password);
  }
  return (
    <form className="sheet padded stack" onSubmit={submit} style={{ maxWidth: 460 }}>
      <p style={{ margin: 0 }}>{name} is encrypted. Its password is kept by this page alone, and forgotten with it.</p>
      <PasswordInput
        label="Its password"
        autoComplete="off"
        value={password}
        error={isWrong ? "This is not its password" : null}
        onChange={(e) => setPassword(e.currentTarget.value)}
        data-autofocus
      />
      <Button type="submit" style={{ alignSelf: "start" }}>
        Look inside
      </Button>
    </form>
  );
}

interface InsideProps {
  whole: Look;
  asItIs: Schemas["ParcelContents"];
}

function Inside({ whole, asItIs }: InsideProps) {
  const [opens, setOpens] = useState(false);
  const [folder, setFolder] = useState<FolderRef | null>(null);
  const [asOf, setAsOf] = useState<string | null>(null);
  const look = { ...whole, asOf };
  const then = useQuery({ ...contentsQuery(look), placeholderData: (old) => old });
  if (then.error) return <Failure error={then.error} again={() => void then.refetch()} />;
  const contents = then.data ?? asItIs;
  const kinds = [...new Set(contents.folders.map((f) => f.kind))];
  const mail = contents.folders.filter((f) => f.oldest);
  const oldest = mail.map((f) => f.oldest ?? "").sort()[0];
  const newest = mail
    .map((f) => f.newest ?? "")
    .sort()
    .at(-1);
  const sum = (kind: string) => contents.folders.filter((f) => f.kind === kind).reduce((s, f) => s + f.items, 0);
  return (
    <>
      <Crumbs name={contents.name} />
      <div className="stack">
        <div className="row spread">
          <span>
            {contents.account}, packed from {contents.service}, as of {farTime(contents.asOf)}
            {contents.isEncrypted && ", encrypted"}.
          </span>
          <div className="row">
            <Files look={whole} parts={asItIs.parts} />
            <Cover look={whole} isEncrypted={asItIs.isEncrypted} />
            <Button size="xs" onClick={() => setOpens(true)}>
              Put it into an account…
            </Button>
          </div>
        </div>
        <Packings parts={asItIs.parts} asOf={asOf} onChoose={setAsOf} />
        <FigureRow
          figures={[
            ...kinds.map((kind) => ({ label: ITEM_WORDS[kind], value: number(sum(kind)) })),
            { label: "in its files", value: size(contents.parts.reduce((s, p) => s + p.octets, 0)) },
            ...(oldest && newest ? [{ label: "messages received", value: `${date(oldest)} to ${date(newest)}` }] : []),
          ]}
        />
        {contents.rules.map((rule) => (
          <p key={rule} className="warn-note" style={{ margin: 0 }}>
            Left out or changed: {rule}.
          </p>
        ))}
      </div>
      <h2>Inside</h2>
      <div className="inside">
        <FolderList folders={contents.folders} chosen={folder} onChoose={setFolder} />
        <ItemSheet look={look} folder={folder} />
      </div>
      <OpenForm look={look} account={contents.account} kinds={kinds} opened={opens} onClose={() => setOpens(false)} />
    </>
  );
}

interface PackingsProps {
  parts: Schemas["ParcelPartView"][];
  asOf: string | null;
  onChoose: (asOf: string | null) => void;
}

/** A parcel that was packed several times holds the account as it was after each. */
function Packings({ parts, asOf, onChoose }: PackingsProps) {
  const complete = parts.filter((p) => p.isComplete);
  const newest = complete.at(-1);
  if (!newest || complete.length === 1) return null;
  const label = (p: typeof newest) => `${farTime(p.packedAt)}, packing ${p.packing}`;
  return (
    <Select
      label="As it was"
      w={340}
      placeholder={`${label(newest)}, the newest`}
      clearable
      clearButtonProps={{ "aria-label": "As it is" }}
      data={complete.slice(0, -1).map((p) => ({ value: p.packedAt, label: label(p) }))}
      value={asOf}
      onChange={onChoose}
    />
  );
}

interface FolderListProps {
  folders: Schemas["ParcelFolderView"][];
  chosen: FolderRef | null;
  onChoose: (folder: FolderRef | null) => void;
}

function FolderList({ folders, chosen, onChoose }: FolderListProps) {
  return (
    <nav className="sheet inside-folders" aria-label="Folders, address books and calendars">
      <button type="button" className="inside-folder" aria-pressed={chosen === null} onClick={() => onChoose(null)}>
        <span>Everything</span>
        <span className="soft">{number(folders.reduce((s, f) => s + f.items, 0))}</span>
      </button>
      {folders.map((f) => (
        <button
          type="button"
          className="inside-folder"
          key={`${f.kind} ${f.name}`}
          aria-pressed={chosen?.kind === f.kind && chosen.name === f.name}
          onClick={() => onChoose(f)}
          title={`${KIND_WORDS[f.kind]}, ${size(f.octets)}`}
        >
          <span>{f.name}</span>
          <span className="soft">{number(f.items)}</span>
        </button>
      ))}
    </nav>
  );
}

function Files({ look, parts }: { look: Look; parts: Schemas["ParcelPartView"][] }) {
  const [first] = parts;
  if (parts.length === 1 && first)
    return (
      <Button size="xs" variant="default" component="a" href={fileAddress(look.place, first.file)} download>
        Download, {size(first.octets)}
      </Button>
    );
  return (
    <Menu>
      <Menu.Target>
        <Button size="xs" variant="default">
          Download {plural(parts.length, "file")}
        </Button>
      </Menu.Target>
      <Menu.Dropdown>
        {parts.map((p) => (
          <Menu.Item key={p.file} component="a" href={fileAddress(look.place, p.file)} download>
            {p.file}, {size(p.octets)}
          </Menu.Item>
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}

/** The sheet of an encrypted parcel is saved as a file: its password goes in no address. */
function Cover({ look, isEncrypted }: { look: Look; isEncrypted: boolean }) {
  const draw = useMutation({
    mutationFn: () => coverOf(look),
    onSuccess: (page) => {
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([String(page)], { type: "text/html" }));
      link.download = `${look.name} cover sheet.html`;
      link.click();
      URL.revokeObjectURL(link.href);
    },
    onError: notifyFailure,
  });
  return isEncrypted ? (
    <Button size="xs" variant="default" loading={draw.isPending} onClick={() => draw.mutate()}>
      Cover sheet
    </Button>
  ) : (
    <Button size="xs" variant="default" component="a" href={coverAddress(look.place, look.name)} target="_blank">
      Cover sheet
    </Button>
  );
}
