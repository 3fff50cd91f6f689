// @vitest-environment happy-dom
import { cleanup, fireEvent, render, screen, within } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { api } from "../api/client";
import type { ProjectState } from "../api/types";
import { masks } from "../state/masks";
import { START, workshop } from "../state/workshop";
import { documentOf, paint, registries } from "../testing/documents";
import { MaskCard } from "./MaskCard";

const noise = { kind: "noise", id: "n", combine: "replace", invert: false, on: true, strength: 1, contrast: 0.5 };
const invert = { kind: "invert", id: "i", on: true, strength: 1 };
const masked = paint("soot", { mask: { on: true, invert: false, sources: [noise, invert] } });

beforeEach(() => {
  const project = { uid: "p", revision: 1, document: documentOf(masked), painted: [], model: "m" } as unknown as ProjectState;
  workshop.setState({ ...START, registries, uid: "p", project, sheet: "body" });
  masks.setState({ open: { sheet: "body", layer: "soot" } } as never);
  vi.spyOn(api, "edit").mockImplementation(async () => ({ ...project, revision: 2 }));
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const changed = (): { sources: { id: string; kind: string; on: boolean }[] } =>
  (vi.mocked(api.edit).mock.calls.at(-1)?.[3] as unknown as { values: { mask: { sources: { id: string; kind: string; on: boolean }[] } } }).values
    .mask;

it("lists the steps by what they are called", () => {
  render(<MaskCard />);
  const card = screen.getByRole("region", { name: "Mask of SOOT" });
  expect(
    within(card)
      .getAllByRole("listitem")
      .map((s) => s.getAttribute("aria-label")),
  ).toEqual(expect.arrayContaining(["Noise", "Invert"]));
});

it("adds a source from the menu with the server's first values", async () => {
  render(<MaskCard />);
  fireEvent.click(screen.getByRole("button", { name: "Source" }));
  fireEvent.click(await screen.findByRole("menuitem", { name: /Noise/ }));
  await vi.waitFor(() => expect(api.edit).toHaveBeenCalled());
  expect(changed().sources.map((s) => s.kind)).toEqual(expect.arrayContaining(["noise", "invert", "noise"]));
  expect(changed().sources).toHaveLength(3);
  expect(new Set(changed().sources.map((s) => s.id)).size).toBe(3);
});

it("closes", () => {
  render(<MaskCard />);
  fireEvent.click(screen.getByRole("button", { name: "Close the mask" }));
  expect(masks.getState().open).toBeNull();
  expect(screen.queryByRole("region", { name: "Mask of SOOT" })).toBeNull();
});
