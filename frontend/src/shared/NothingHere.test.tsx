import { render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { describe, expect, it } from "vitest";
import { NothingHere } from "./NothingHere";

const shown = (error: unknown) =>
  render(<NothingHere error={error} back="/runs" words="Back to the runs" />, { wrapper: MemoryRouter });

describe("a page whose thing cannot be had", () => {
  it("says why, and leads on", () => {
    shown("There is no run 7.");
    expect(screen.getByRole("alert").textContent).toContain("There is no run 7.");
    expect(screen.getByRole("link").getAttribute("href")).toBe("/runs");
  });

  it("is empty while it is being fetched", () => {
    shown(null);
    expect(screen.getByRole("main").textContent).toBe("");
  });
});
