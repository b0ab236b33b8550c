import { Button, TextInput } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, unwrap } from "../api/client";
import { DataTable } from "../parts/DataTable";
import { Failure } from "../parts/Failure";

/** Finds the settings of a service from a mail address, and shows where each setting was found. */
export function FindSettings() {
  const [address, setAddress] = useState("");
  const search = useMutation({
    mutationFn: () => unwrap(api.GET("/api/v1/find", { params: { query: { address: address.trim() } } })),
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    search.mutate();
  };
  return (
    <section className="stack" aria-label="Find settings">
      <form className="row" onSubmit={submit}>
        <TextInput
          aria-label="Address or domain"
          placeholder="somebody@lanternpost.example"
          value={address}
          onChange={(e) => setAddress(e.currentTarget.value)}
          w={320}
        />
        <Button type="submit" variant="default" loading={search.isPending} disabled={address.trim() === ""}>
          Find settings
        </Button>
        <span className="soft">
          SRV records, well-known places, then common names: at most three hosts of each are tried, on the ports of mail
          alone. Only what TLS verifies is offered.
        </span>
      </form>
      {search.error && <Failure error={search.error} />}
      {search.data && (
        <>
          {search.data.plan && (
            <div>
              In a plan: <code>{search.data.plan}</code>
            </div>
          )}
          <DataTable
            label={`Settings found for ${search.data.domain}`}
            rows={search.data.settings}
            rowKey={(s) => `${s.kind} ${s.host} ${s.port} ${s.source}`}
            empty={`Nothing was found for ${search.data.domain}: ask the service for host and port.`}
            name={`settings-${search.data.domain}`}
            unit={["setting", "settings"]}
            columns={[
              { title: "What", csv: "kind", value: (s) => s.kind },
              {
                title: "Where",
                csv: "where",
                value: (s) => s.url ?? (s.host === "" ? "" : `${s.host}:${s.port} ${s.security}`),
              },
              { title: "From", csv: "source", value: (s) => s.source, wide: true },
              {
                title: "Verified",
                csv: "verified",
                value: (s) => String(s.verified),
                cell: (s) =>
                  s.verified ? <span className="good">✓ verified</span> : <span className="soft">not verified</span>,
              },
              { title: "Result", csv: "result", value: (s) => s.result, wide: true },
            ]}
          />
        </>
      )}
    </section>
  );
}
