import { Button, CopyButton, TextInput } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import { CsvButton } from "../parts/CsvButton";
import { notifyFailure } from "../parts/notify";
import { plural, relative } from "../words/format";

/** How many links are shown one by one; the rest is in the list to save. */
const SHOWN = 5;

/** Links to send to the owners of accounts, who consent in a browser of their own, whenever they read their mail. */
export function ConsentLinks({ service, batch }: { service: string; batch: string | null }) {
  const make = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/v1/services/{name}/consent-links", {
          params: { path: { name: service } },
          body: { batch, accounts: null },
        }),
      ),
    onError: notifyFailure,
  });
  const links = make.data;
  return (
    <>
      <Button variant="default" loading={make.isPending} onClick={() => make.mutate()}>
        Links to send
      </Button>
      {links && (
        <div className="stack" style={{ flexBasis: "100%" }} aria-live="polite">
          {links.length === 0 && <div className="good">✓ Everybody has consented at {service}.</div>}
          {links[0] && (
            <p style={{ margin: 0 }}>
              {plural(links.length, "person has", "people have")} not consented at {service}. Send each link to its
              person alone; it ends {relative(links[0].ends)}.
            </p>
          )}
          {links.slice(0, SHOWN).map((link) => (
            <div key={link.account} className="row" style={{ flexWrap: "nowrap" }}>
              <TextInput
                label={`${link.name} (${link.account})`}
                value={link.link}
                readOnly
                onFocus={(e) => e.currentTarget.select()}
                style={{ flex: 1 }}
              />
              <CopyButton value={link.link}>
                {({ copied, copy }) => (
                  <Button variant="default" onClick={copy} style={{ alignSelf: "flex-end" }}>
                    {copied ? "Copied" : "Copy"}
                  </Button>
                )}
              </CopyButton>
            </div>
          ))}
          {links.length > SHOWN && <p className="soft">{links.length - SHOWN} more are in the list to save.</p>}
          {links.length > 0 && (
            <CsvButton
              name={`consent-links-${service}`}
              rows={links}
              columns={[
                { title: "account", value: (l) => l.account },
                { title: "name", value: (l) => l.name },
                { title: "link", value: (l) => l.link },
                { title: "ends", value: (l) => l.ends },
              ]}
            />
          )}
        </div>
      )}
    </>
  );
}
