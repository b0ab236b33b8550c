import { Button, FileButton, Group, Select, TextInput, VisuallyHidden } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { chooseColumns, fileReadingQuery, filesQuery, handOver } from "../api/collectionQueries";
import { Failure } from "../parts/Failure";
import { GridSheet } from "../parts/GridSheet";
import { Loading } from "../parts/Loading";
import { notifyFailure, notifySuccess } from "../parts/notify";
import { plural, size, time } from "../words/format";

/** Files with contacts or events that were handed over: how each is read, and what its columns hold. */
export function FileBox() {
  const files = useQuery(filesQuery);
  const client = useQueryClient();
  const [open, setOpen] = useState<string | null>(null);
  const [name, setName] = useState("");
  const send = useMutation({
    mutationFn: (file: File) => handOver(name.trim() || file.name, file),
    onSuccess: (file) => {
      notifySuccess(`${file.name} was handed over`);
      setOpen(file.name);
      void client.invalidateQueries({ queryKey: ["plan", "files"] });
    },
    onError: notifyFailure,
  });
  if (files.error) return <Failure error={files.error} again={() => void files.refetch()} />;
  if (!files.data) return <Loading />;
  return (
    <section className="sheet padded stack" aria-label="Files that were handed over">
      <p className="soft" style={{ margin: 0 }}>
        Spreadsheets, vCards and calendars that the plan names as files of a service. “caravan plan apply” hands them
        over; here a single one can be.
      </p>
      <Group gap="sm">
        <TextInput
          style={{ flex: 1 }}
          aria-label="Path below the plan's folder"
          placeholder="lists/aoife.marsh@saltmarsh.example.csv"
          value={name}
          onChange={(e) => setName(e.currentTarget.value)}
        />
        <FileButton onChange={(file) => file && send.mutate(file)} accept=".csv,.txt,.vcf,.ics">
          {(props) => (
            <Button {...props} variant="default" loading={send.isPending}>
              Hand over a file
            </Button>
          )}
        </FileButton>
      </Group>
      {files.data.length > 0 && (
        <GridSheet label="Files">
          <table className="grid">
            <thead>
              <tr>
                <th scope="col">File</th>
                <th scope="col" className="num">
                  Size
                </th>
                <th scope="col">Handed over</th>
                <th scope="col">
                  <VisuallyHidden>How it is read</VisuallyHidden>
                </th>
              </tr>
            </thead>
            <tbody>
              {files.data.map((file) => (
                <tr key={file.name}>
                  <td>{file.name}</td>
                  <td className="num nowrap">{size(file.length)}</td>
                  <td className="nowrap">{time(file.receivedAt)}</td>
                  <td className="nowrap">
                    <Button
                      size="xs"
                      variant="default"
                      aria-expanded={open === file.name}
                      onClick={() => setOpen(open === file.name ? null : file.name)}
                    >
                      {open === file.name ? "Close" : "How it is read"}
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </GridSheet>
      )}
      {open && <Reading name={open} />}
    </section>
  );
}

function Reading({ name }: { name: string }) {
  const reading = useQuery(fileReadingQuery(name));
  const client = useQueryClient();
  const choose = useMutation({
    mutationFn: (columns: Record<string, string>) => chooseColumns(name, columns),
    onSuccess: () => client.invalidateQueries({ queryKey: ["plan", "files", name] }),
    onError: notifyFailure,
  });
  if (reading.error) return <Failure error={reading.error} again={() => void reading.refetch()} />;
  if (!reading.data) return <Loading />;
  const { columns, words, problems, items, joined, encoding, separator, hasHeader } = reading.data;
  const chosen = Object.fromEntries(columns.filter((c) => c.said === "choice").map((c) => [c.header, c.holds]));
  return (
    <div className="stack">
      <p style={{ margin: 0 }}>
        <strong>{name}</strong>: {plural(items, "contact or event", "contacts and events")}
        {joined > 0 && `, ${joined} of them on several lines`}
        {encoding && `; ${encoding}, parted by ${SEPARATORS[separator ?? ""] ?? separator}, `}
        {encoding && (hasHeader ? "with a header" : "without a header")}.
      </p>
      {problems.map((p) => (
        <p key={p.line} className="warn-note" style={{ margin: 0 }}>
          {p.what}
        </p>
      ))}
      {columns.length > 0 && (
        <GridSheet label="Columns">
          <table className="grid tall">
            <thead>
              <tr>
                <th scope="col">Column</th>
                <th scope="col">Holds</th>
                <th scope="col">Said by</th>
                <th scope="col">Such as</th>
              </tr>
            </thead>
            <tbody>
              {columns.map((column) => (
                <tr key={column.header}>
                  <td>{column.header}</td>
                  <td>
                    <Select
                      aria-label={`What ${column.header} holds`}
                      size="xs"
                      data={words}
                      value={column.holds}
                      searchable
                      allowDeselect={false}
                      disabled={choose.isPending}
                      onChange={(holds) => holds && choose.mutate({ ...chosen, [column.header]: holds })}
                    />
                  </td>
                  <td>{SAID[column.said] ?? column.said}</td>
                  <td className="soft">{column.examples.join(" · ")}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </GridSheet>
      )}
    </div>
  );
}

const SAID: Record<string, string> = { guess: "a guess", plan: "the plan", choice: "a choice here" };

const SEPARATORS: Record<string, string> = { ",": "commas", ";": "semicolons", "\t": "tabs" };
