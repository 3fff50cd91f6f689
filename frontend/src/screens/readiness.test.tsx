// @vitest-environment happy-dom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { api } from "../api/client";
import type { Readiness } from "../api/types";
import { Making, Preparing } from "./Readiness";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

function shown(now: Readiness): void {
  vi.spyOn(api, "readiness").mockResolvedValue(now);
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Preparing />
      <Making />
    </QueryClientProvider>,
  );
}

it("says what is still prepared, and how far", async () => {
  shown({ kernels_done: 12, kernels_planned: 53, making: [{ name: "Mooring buoy", message: "Painting the buoy", done: 30, planned: 120 }] });
  expect((await screen.findByRole("status", { name: "Preparing tools: 12 of 53" })).textContent).toBe("Tools 12 / 53");
  const card = screen.getByRole("article", { name: "Mooring buoy, being made" });
  expect(card.textContent).toContain("Painting the buoy");
  expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBe("25");
});

it("says nothing once all is there", async () => {
  shown({ kernels_done: 0, kernels_planned: 0, making: [] });
  await vi.waitFor(() => expect(api.readiness).toHaveBeenCalled());
  expect(screen.queryByRole("status")).toBeNull();
  expect(screen.queryByRole("article")).toBeNull();
});
