import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { OnlyMine } from "./components/OnlyMine";
import type { Document } from "./types";

vi.mock("../shell", () => ({ useMine: () => ["Ines Harrow", "ines@marrowby.example"] }));

const STANDING = { path: "status", is: "is", value: "S" };
const DOCUMENT = {
  name: "T",
  records: "inspection",
  columns: [],
  filter: { all: [STANDING] },
} as unknown as Document;

afterEach(cleanup);

describe("one’s own records and everybody’s", () => {
  it("narrow by one press, and the next press takes only that back", () => {
    const onDocument = vi.fn();
    const shown = render(<OnlyMine document={DOCUMENT} path="inspected_by" onDocument={onDocument} />);
    fireEvent.click(screen.getByRole("button", { name: "only mine" }));
    const narrowed = onDocument.mock.calls[0]![0] as Document;
    expect(narrowed.filter).toEqual({
      all: [
        STANDING,
        { path: "inspected_by", is: "one_of", values: ["Ines Harrow", "ines@marrowby.example"] },
      ],
    });

    shown.rerender(<OnlyMine document={narrowed} path="inspected_by" onDocument={onDocument} />);
    fireEvent.click(screen.getByRole("button", { name: "everybody’s" }));
    expect((onDocument.mock.calls[1]![0] as Document).filter).toEqual({ all: [STANDING] });
  });

  it("are not told apart where nothing says whose a record is", () => {
    render(<OnlyMine document={DOCUMENT} path={null} onDocument={vi.fn()} />);
    expect(screen.queryByRole("button")).toBeNull();
  });
});
