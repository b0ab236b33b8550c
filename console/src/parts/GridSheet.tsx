import type { ReactNode } from "react";

/** A table that scrolls sideways where it has no room. */
export function GridSheet({ label, children }: { label: string; children: ReactNode }) {
  return (
    <section
      className="sheet grid-scroll"
      aria-label={label}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls must be reachable by keyboard
      tabIndex={0}
    >
      {children}
    </section>
  );
}
