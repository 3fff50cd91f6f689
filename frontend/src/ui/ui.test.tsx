// @vitest-environment happy-dom
import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { Boundary } from "./Boundary";
import { Questions, askedName, chosen } from "./dialogs";
import { Dropdown } from "./Dropdown";
import { NamedSlider } from "./sliders";
import { Segment, Segments } from "./Segments";
import { Toggle } from "./Toggle";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

describe("questions", () => {
  const asked = async <T,>(question: () => Promise<T>, answer: () => void): Promise<T> => {
    render(<Questions />);
    let coming: Promise<T> | undefined;
    act(() => {
      coming = question();
    });
    await screen.findByRole("dialog");
    act(answer);
    return coming as Promise<T>;
  };

  it("gives the name that was typed", async () => {
    const name = await asked(
      () => askedName("Add a channel", "Name", "", "Add channel"),
      () => {
        fireEvent.change(screen.getByRole("textbox", { name: "Name" }), { target: { value: "  Wetness " } });
        fireEvent.click(screen.getByRole("button", { name: "Add channel" }));
      },
    );
    expect(name).toBe("Wetness");
  });

  it("takes no empty name, and gives none when it is cancelled", async () => {
    const name = await asked(
      () => askedName("Add a channel", "Name", "", "Add channel"),
      () => {
        expect((screen.getByRole("button", { name: "Add channel" }) as HTMLButtonElement).disabled).toBe(true);
        fireEvent.click(screen.getByRole("button", { name: "Cancel" }));
      },
    );
    expect(name).toBeNull();
  });

  it("names its choices", async () => {
    const ways = [
      { id: "down", label: "Y points down" },
      { id: "up", label: "Y points up" },
    ] as const;
    const way = await asked(
      () => chosen("Which way does Y point?", "The program that made it says so.", ways),
      () => fireEvent.click(screen.getByRole("button", { name: "Y points down" })),
    );
    expect(way).toBe("down");
  });
});

it("a dropdown has a name, shows what is chosen and gives what is picked", async () => {
  const picked = vi.fn();
  const options = [
    { id: "a", name: "Alder" },
    { id: "b", name: "Birch", group: "Pale" },
  ];
  render(<Dropdown label="Wood" value="a" options={options} onChoose={picked} />);
  const box = screen.getByRole("combobox", { name: "Wood" });
  expect(box.textContent).toBe("Alder");
  fireEvent.mouseDown(box);
  expect(await screen.findByText("Pale")).toBeTruthy();
  fireEvent.click(screen.getByRole("option", { name: "Birch" }));
  expect(picked).toHaveBeenCalledWith("b");
  cleanup();
  render(<Dropdown label="Wood" value="gone" options={options} onChoose={picked} />);
  expect(screen.getByRole("combobox", { name: "Wood" }).textContent).toBe("–");
});

it("toggles and segments say whether they hold", () => {
  const pressed = vi.fn();
  render(
    <>
      <Toggle on onToggle={pressed}>
        Wire
      </Toggle>
      <Segments label="View">
        <Segment on={false} onChoose={pressed}>
          Lit
        </Segment>
      </Segments>
    </>,
  );
  expect(screen.getByRole("button", { name: "Wire" }).getAttribute("aria-pressed")).toBe("true");
  expect(screen.getByRole("group", { name: "View" })).toBeTruthy();
  expect(screen.getByRole("button", { name: "Lit" }).getAttribute("aria-pressed")).toBe("false");
  fireEvent.click(screen.getByRole("button", { name: "Lit" }));
  fireEvent.click(screen.getByRole("button", { name: "Wire" }));
  expect(pressed).toHaveBeenCalledTimes(2);
});

it("a slider takes a typed number, and Escape takes it back", () => {
  const set = vi.fn();
  render(<NamedSlider label="Flow" title="How fast" value={0.5} low={0} high={1} step={0.01} unit="percent" onChange={set} />);
  const field = screen.getByRole("textbox", { name: "Flow value" });
  fireEvent.focus(field);
  fireEvent.change(field, { target: { value: "25" } });
  fireEvent.keyDown(field, { key: "Enter" });
  fireEvent.blur(field);
  expect(set).toHaveBeenLastCalledWith(0.25);
});

it("a part that breaks says that the work is kept, and can be tried again", () => {
  vi.spyOn(console, "error").mockImplementation(() => undefined);
  let broken = true;
  const Odd = (): string => {
    if (broken) throw new Error("no such sheet");
    return "whole again";
  };
  render(
    <Boundary what="This screen">
      <Odd />
    </Boundary>,
  );
  expect(screen.getByRole("alert").textContent).toContain("Everything you painted is stored");
  expect(screen.getByRole("alert").textContent).toContain("no such sheet");
  broken = false;
  fireEvent.click(screen.getByRole("button", { name: "Try again" }));
  expect(screen.getByText("whole again")).toBeTruthy();
});
