// @vitest-environment happy-dom
import { cleanup, configure, fireEvent, render, screen, within } from "@testing-library/react";
import { Profiler } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { api } from "../api/client";
import type { ProjectState } from "../api/types";
import { TargetRibbon } from "../paint/TargetRibbon";
import { Diagnostics } from "./Diagnostics";
import { diagnostics } from "../state/diagnostics";
import { START, workshop } from "../state/workshop";
import { documentOf, fill, group, paint, registries } from "../testing/documents";
import { LayerGrid } from "../grid/LayerGrid";

// Nothing is hidden here; asking for it costs seconds.
configure({ defaultHidden: true });

const uses = { base_color: { on: true, strength: 1, value: [1, 0, 0] }, roughness: { on: true, strength: 1, value: [0.25] } };
const tree = documentOf(paint("soot"), group("coats", [fill("enamel", { channels: uses })]), paint("rust", { locked: true }));

beforeEach(() => {
  const project = {
    uid: "p",
    revision: 3,
    document: tree,
    painted: ["body/soot/base_color"],
    model: "m",
    name: "Lantern",
  } as unknown as ProjectState;
  const target = { sheet: "body", layer: "soot", channels: ["base_color"], mask: null, mesh_map: null };
  workshop.setState({ ...START, registries, uid: "p", project, sheet: "body", target });
  vi.spyOn(api, "edit").mockImplementation(async () => ({ ...project, revision: 4 }));
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const row = (name: string): HTMLElement => screen.getByRole("row", { name });

describe("the layer grid", () => {
  it("is a table whose rows are layers and whose columns are channels", () => {
    render(<LayerGrid />);
    const table = screen.getByRole("table", { name: "Layers by channels" });
    expect(within(table).getAllByRole("row")).toHaveLength(5);
    expect(
      within(table)
        .getAllByRole("columnheader")
        .map((c) => c.textContent),
    ).toEqual(["Shown", "Layer, front first", "Locked", "Blend", "Strength", "Mask", "Base colour", "Roughness", "Height"]);
    for (const one of within(table).getAllByRole("row").slice(1)) {
      expect(within(one).getAllByRole("cell").length + within(one).getAllByRole("rowheader").length).toBe(9);
    }
  });

  it("says what a cell holds, and that it is the target", () => {
    render(<LayerGrid />);
    expect(within(row("ENAMEL")).getByRole("button", { name: "ENAMEL, Roughness: 0.25" })).toBeTruthy();
    const soot = within(row("SOOT"));
    expect(soot.getByRole("button", { name: "SOOT, Base colour" }).getAttribute("aria-pressed")).toBe("true");
    fireEvent.click(soot.getByRole("button", { name: "SOOT, Roughness" }), { ctrlKey: true });
    expect(workshop.getState().target?.channels).toEqual(["base_color", "roughness"]);
    fireEvent.click(soot.getByRole("button", { name: "SOOT, Height" }));
    expect(workshop.getState().target?.channels).toEqual(["height"]);
  });

  it("renames by a double press, and leaves the name on Escape", () => {
    render(<LayerGrid />);
    const rename = (key: string): void => {
      fireEvent.doubleClick(within(row("SOOT")).getByRole("button", { name: "SOOT" }));
      const field = screen.getByRole("textbox", { name: "Layer name" });
      fireEvent.change(field, { target: { value: "Grime" } });
      fireEvent.keyDown(field, { key });
    };
    rename("Escape");
    expect(api.edit).not.toHaveBeenCalled();
    rename("Enter");
    fireEvent.blur(screen.queryByRole("textbox", { name: "Layer name" }) ?? document.body);
    expect(api.edit).toHaveBeenCalledWith("p", 3, "Rename to Grime", {
      edit: "set-layer",
      sheet: "body",
      layer: "soot",
      values: { name: "Grime" },
      variant: null,
    });
  });

  it("hides a layer, and finds by name", () => {
    render(<LayerGrid />);
    fireEvent.click(screen.getByRole("button", { name: "Show ENAMEL" }));
    expect(api.edit).toHaveBeenCalledWith("p", 3, "Hide ENAMEL", expect.objectContaining({ layer: "enamel", values: { visible: false } }));
    fireEvent.change(screen.getByPlaceholderText("Find a layer"), { target: { value: "enam" } });
    expect(screen.getAllByRole("row")).toHaveLength(2);
  });

  it("closes a group over what it holds", () => {
    render(<LayerGrid />);
    fireEvent.click(screen.getByRole("button", { name: "Close COATS" }));
    expect(screen.queryByRole("row", { name: "ENAMEL" })).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Open COATS" }));
    expect(row("ENAMEL")).toBeTruthy();
  });
});

describe("a batch of a stroke", () => {
  it("makes only what shows it anew", () => {
    diagnostics.setState({ on: true });
    const made = { grid: 0, ribbon: 0, figures: 0 };
    const count = (name: keyof typeof made) => (): void => void made[name]++;
    render(
      <>
        <Profiler id="grid" onRender={count("grid")}>
          <LayerGrid />
        </Profiler>
        <Profiler id="ribbon" onRender={count("ribbon")}>
          <TargetRibbon />
        </Profiler>
        <Profiler id="figures" onRender={count("figures")}>
          <Diagnostics />
        </Profiler>
      </>,
    );
    const before = { ...made };
    for (let i = 1; i <= 20; i++) workshop.setState({ lastStroke: { ms: i, chunks: 2 } });
    return vi.waitFor(() => {
      expect(screen.getByRole("status", { name: "Diagnostics" }).textContent).toContain("20.0 ms per dab");
      expect([made.grid, made.ribbon]).toEqual([before.grid, before.ribbon]);
      expect(made.figures).toBeGreaterThan(before.figures);
    });
  });
});

describe("the target's ribbon", () => {
  it("says what the next stroke changes, or why it changes nothing", () => {
    render(<TargetRibbon />);
    const ribbon = screen.getByRole("status", { name: "Target" });
    expect(ribbon.textContent).toBe("Painting intoBody ›SOOT›Base colour");
    cleanup();
    workshop.setState({ target: { sheet: "body", layer: "rust", channels: ["base_color"], mask: null, mesh_map: null } });
    render(<TargetRibbon />);
    expect(screen.getByRole("status", { name: "Target" }).textContent).toMatch(/locked.*Strokes change nothing/);
  });
});
