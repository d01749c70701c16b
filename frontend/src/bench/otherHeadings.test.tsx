import { fireEvent, screen } from "@testing-library/react";
import { expect, it, vi } from "vitest";
import { shown } from "../testing";
import { HeadingLanguage } from "./components/HeadingLanguage";
import { OtherHeadings } from "./components/OtherHeadings";
import type { Column } from "../document/types";

const WARD: Column = { id: "a", heading: "Ward", headings: { fr: "Quartier" }, value: { field: "name" } };

it("keeps what a column is headed in each language, and nothing where none is left", () => {
  const put = vi.fn();
  shown(<OtherHeadings column={WARD} onHeadings={put} />);

  fireEvent.change(screen.getByLabelText("Heading in French"), { target: { value: "Arrondissement" } });
  expect(put).toHaveBeenLastCalledWith({ fr: "Arrondissement" });
  fireEvent.change(screen.getByLabelText("Another language for the heading"), { target: { value: "de" } });
  expect(put).toHaveBeenLastCalledWith({ fr: "Quartier", de: "" });
  fireEvent.click(screen.getByLabelText("No heading in French"));
  expect(put).toHaveBeenLastCalledWith(undefined);
});

it("offers a file the languages that its columns are headed in, and keeps one that none has any more", () => {
  const choose = vi.fn();
  const { rerender } = shown(<HeadingLanguage columns={[WARD]} chosen="de" onChoose={choose} />);

  const select = screen.getByLabelText("Headings in");
  expect([...select.querySelectorAll("option")].map((o) => o.textContent)).toEqual([
    "as the columns say",
    "German",
    "French",
  ]);
  fireEvent.change(select, { target: { value: "" } });
  expect(choose).toHaveBeenCalledWith("");
  rerender(<HeadingLanguage columns={[{ ...WARD, headings: undefined }]} chosen="" onChoose={choose} />);
  expect(screen.queryByLabelText("Headings in")).toBeNull();
});
