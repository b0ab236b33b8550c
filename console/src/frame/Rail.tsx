import { ActionIcon, Tooltip, useMantineColorScheme } from "@mantine/core";
import {
  IconDoorExit,
  IconKey,
  IconMail,
  IconMap2,
  IconMoon,
  IconNotebook,
  IconPackage,
  IconServer2,
  IconSun,
  IconSunHigh,
  IconUsersGroup,
} from "@tabler/icons-react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api, unwrap } from "../api/client";
import { todayQuery } from "../api/queries";

const PLACES = [
  { to: "/", word: "Today", icon: IconSunHigh },
  { to: "/batches", word: "Batches", icon: IconUsersGroup },
  { to: "/plan", word: "Plan", icon: IconMap2 },
  { to: "/services", word: "Services", icon: IconServer2 },
  { to: "/parcels", word: "Parcels", icon: IconPackage },
  { to: "/notices", word: "Notices", icon: IconMail },
  { to: "/journal", word: "Journal", icon: IconNotebook },
  { to: "/access", word: "Access", icon: IconKey },
] as const;

export function Rail({ version }: { version: string }) {
  const client = useQueryClient();
  const today = useQuery(todayQuery);
  const { colorScheme, setColorScheme } = useMantineColorScheme();
  const dark = colorScheme === "dark" || (colorScheme === "auto" && matchMedia("(prefers-color-scheme: dark)").matches);
  const needs = today.data?.needsYou.reduce((sum, n) => sum + n.count, 0) ?? 0;

  async function leave() {
    await unwrap(api.DELETE("/api/v1/session"));
    client.clear();
    location.assign("/");
  }

  return (
    <nav className="rail" aria-label="Main">
      <div className="brand">
        <img src="/mark.svg" width="26" height="26" alt="" />
        Easy Caravan
      </div>
      {PLACES.map((place) => (
        <Link key={place.to} to={place.to} className="rail-link" activeOptions={{ exact: place.to === "/" }}>
          <place.icon size={18} aria-hidden />
          {place.word}
          {place.to === "/" && needs > 0 && (
            <span className="rail-count">
              {needs}
              <span className="visually-hidden"> need you</span>
            </span>
          )}
        </Link>
      ))}
      <div className="rail-foot">
        <div className="row">
          <Tooltip label={dark ? "Light" : "Dark"}>
            <ActionIcon
              variant="subtle"
              aria-label={dark ? "Use light colours" : "Use dark colours"}
              onClick={() => setColorScheme(dark ? "light" : "dark")}
            >
              {dark ? <IconSun size={18} /> : <IconMoon size={18} />}
            </ActionIcon>
          </Tooltip>
          <Tooltip label="Sign out">
            <ActionIcon variant="subtle" aria-label="Sign out" onClick={() => void leave()}>
              <IconDoorExit size={18} />
            </ActionIcon>
          </Tooltip>
          <span className="soft" title="Version of the service">
            {version}
          </span>
        </div>
      </div>
    </nav>
  );
}
