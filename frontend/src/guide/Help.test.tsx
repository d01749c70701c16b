import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import { Help } from "./Help";

const shown = (around: "div" | "popover") =>
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <div className={around} data-testid="around">
          <Help topic="narrowing#periods" />
        </div>
      </MemoryRouter>
    </QueryClientProvider>,
  );

describe("a question mark", () => {
  afterEach(cleanup);

  it("shows the section's text and example, and leads to the guide", async () => {
    shown("div");
    fireEvent.click(screen.getByRole("button", { name: "Help" }));
    expect(await screen.findByText(/Periods count from the moment of the run/)).toBeTruthy();
    const link = await screen.findByRole("link", { name: /In the guide/ });
    expect(link.getAttribute("href")).toBe("/guide/narrowing#periods");
  });

  it("stands on top of an editor that scrolls, and Escape closes it alone", async () => {
    shown("popover");
    const around = screen.getByTestId("around");
    const heard = vi.fn();
    around.addEventListener("keydown", heard);
    fireEvent.click(screen.getByRole("button", { name: "Help" }));
    const note = await screen.findByRole("note");
    expect(note.parentElement).toBe(around);
    fireEvent.keyDown(note, { key: "Escape" });
    fireEvent.keyUp(note, { key: "Escape" });
    expect(screen.queryByRole("note")).toBeNull();
    expect(heard).not.toHaveBeenCalled();
  });

  it("is closed by a press elsewhere, not by one inside", async () => {
    shown("div");
    fireEvent.click(screen.getByRole("button", { name: "Help" }));
    const note = await screen.findByRole("note");
    fireEvent.pointerDown(note);
    expect(screen.queryByRole("note")).not.toBeNull();
    fireEvent.pointerDown(document.body);
    expect(screen.queryByRole("note")).toBeNull();
  });
});
