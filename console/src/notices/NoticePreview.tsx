import { Button, NativeSelect, TextInput } from "@mantine/core";
import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { ApiError, type Schemas } from "../api/client";
import { previewQuery, sendTest } from "../api/noticeQueries";
import { notifySuccess } from "../parts/notify";
import { ABOUT_WORDS } from "./words";

const LANGUAGES = [
  { value: "", label: "as the plan says" },
  { value: "en", label: "English" },
  { value: "de", label: "German" },
  { value: "fr", label: "French" },
];

/** A letter with facts of the moment, and one to try. */
export function NoticePreview({ canSend }: { canSend: boolean }) {
  const [about, setAbout] = useState<Schemas["NoticeAbout"]>("digest");
  const [language, setLanguage] = useState("");
  const [to, setTo] = useState("");
  const letter = useQuery(previewQuery(about, language || undefined));
  const test = useMutation({
    mutationFn: () => sendTest({ to, about, batch: null, language: language || null }),
    onSuccess: (tested) => notifySuccess(`Sent. The server answered: ${tested.answer}`),
  });
  const send = (event: FormEvent) => {
    event.preventDefault();
    test.mutate();
  };
  const error = letter.error ?? test.error;
  return (
    <div className="stack">
      <form className="row" onSubmit={send}>
        <NativeSelect
          label="About"
          value={about}
          onChange={(e) => setAbout(e.currentTarget.value as Schemas["NoticeAbout"])}
          data={Object.entries(ABOUT_WORDS).map(([value, label]) => ({ value, label }))}
        />
        <NativeSelect
          label="Language"
          value={language}
          onChange={(e) => setLanguage(e.currentTarget.value)}
          data={LANGUAGES}
        />
        {canSend && (
          <>
            <TextInput
              label="Send one to try"
              type="email"
              placeholder="an address of yours"
              value={to}
              onChange={(e) => setTo(e.currentTarget.value)}
            />
            <Button
              type="submit"
              variant="default"
              loading={test.isPending}
              disabled={!to}
              style={{ alignSelf: "end" }}
            >
              Send
            </Button>
          </>
        )}
      </form>
      {error && (
        <div className="error-note" role="alert">
          <p>
            <strong>{error.message}</strong>
          </p>
          {error instanceof ApiError && <p>{error.remedy}</p>}
        </div>
      )}
      {letter.data && (
        <div className="sheet padded stack">
          <div className="soft">To {letter.data.to}</div>
          <strong>{letter.data.subject}</strong>
          <div style={{ whiteSpace: "pre-wrap" }}>{letter.data.text}</div>
        </div>
      )}
    </div>
  );
}
