import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { Within } from "../testing";
import { OnlyMine } from "./components/OnlyMine";
import type { Document } from "./types";

const STANDING = { path: "status", is: "is", value: "S" };
const DOCUMENT = {
  name: "T",
  records: "inspection",
  columns: [],
  filter: { all: [STANDING] },
} as unknown as Document;

afterEach(cleanup);

const mine = (path: string | null, document: Document, onDocument = vi.fn()) => (
  <Within person={{ name: "Ines Harrow", email: "ines@marrowby.example" }}>
    <OnlyMine document={document} path={path} onDocument={onDocument} />
  </Within>
);

describe("one’s own records and everybody’s", () => {
  it("narrow by one press, and the next press takes only that back", () => {
    const onDocument = vi.fn();
    const shown = render(mine("inspected_by", DOCUMENT, onDocument));
    fireEvent.click(screen.getByRole("button", { name: "only mine" }));
    const narrowed = onDocument.mock.calls[0]![0] as Document;
    expect(narrowed.filter).toEqual({
      all: [
        STANDING,
        { path: "inspected_by", is: "one_of", values: ["Ines Harrow", "ines@marrowby.example"] },
      ],
    });

    shown.rerender(mine("inspected_by", narrowed, onDocument));
    fireEvent.click(screen.getByRole("button", { name: "everybody’s" }));
    expect((onDocument.mock.calls[1]![0] as Document).filter).toEqual({ all: [STANDING] });
  });

  it("are not told apart where nothing says whose a record is", () => {
    render(mine(null, DOCUMENT));
    expect(screen.queryByRole("button")).toBeNull();
  });
});
