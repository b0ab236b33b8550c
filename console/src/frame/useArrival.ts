import { useLocation } from "@tanstack/react-router";
import { type RefObject, useEffect, useRef } from "react";

const PAGES: Record<string, string> = {
  "": "Today",
  batches: "Batches",
  plan: "Plan",
  services: "Services",
  journal: "Journal",
};

/** The title of the page at a path, the narrowest part first: "ada@old.example · engineers · Easy Caravan". */
export function titleOf(path: string): string {
  const [page = "", batch, part, account] = path.split("/").slice(1).map(decodeURIComponent);
  const place =
    account ?? (part === "survey" ? "Survey" : part === "folders" ? "Folders" : undefined) ?? batch ?? PAGES[page];
  return [place, place === batch ? undefined : batch, "Easy Caravan"].filter((p) => p !== undefined).join(" · ");
}

/**
 * On each navigation, sets the window's title and moves the focus to the start of the new page, so that screen readers announce the page
 * and the keyboard does not stay on the link that was pressed.
 */
export function useArrival(main: RefObject<HTMLElement | null>) {
  const path = useLocation({ select: (location) => location.pathname });
  const before = useRef(path);
  useEffect(() => {
    document.title = titleOf(path);
    if (before.current !== path) main.current?.focus({ preventScroll: true });
    before.current = path;
  }, [path, main]);
}
