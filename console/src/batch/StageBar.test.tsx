import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it, vi } from "vitest";
import type { Batch } from "../api/client";
import { StageBar } from "./StageBar";

const batch: Batch = {
  name: "crew",
  route: "crossing",
  from: "lanternpost",
  to: "northquay",
  people: 5,
  stages: { copying: 2, "in-step": 3 },
  conditions: { idle: 5 },
  doing: "5 in step",
  counts: { found: 0, carried: 0, paired: 0, excluded: 0, leftBehind: 0 },
  octets: 0,
  openLeftBehind: 0,
  undecided: 0,
  kinds: [],
  windows: null,
};

it("says in words what it draws", () => {
  render(<StageBar batch={batch} />);
  expect(screen.getByRole("img", { name: "Copying 2, In step 3" })).toBeInTheDocument();
});

it("chooses a stage, and lets it go again", async () => {
  const choose = vi.fn();
  const { rerender } = render(<StageBar batch={batch} chosen={null} onChoose={choose} />);
  await userEvent.click(screen.getByRole("button", { name: "Show only Copying: 2 people" }));
  expect(choose).toHaveBeenLastCalledWith("copying");
  rerender(<StageBar batch={batch} chosen="copying" onChoose={choose} />);
  expect(screen.getByRole("button", { name: "Show only Copying: 2 people" })).toHaveAttribute("aria-pressed", "true");
  await userEvent.click(screen.getByRole("button", { name: "Show only Copying: 2 people" }));
  expect(choose).toHaveBeenLastCalledWith(null);
});
