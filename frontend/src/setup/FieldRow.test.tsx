import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { CatalogueEdit, CuratedField } from "../api";
import { FieldRow } from "./FieldRow";
import { field } from "./madeUp";

function sheet(fields: CuratedField[]) {
  const onEdit = vi.fn<(edits: CatalogueEdit[]) => void>();
  render(
    <table>
      <tbody>
        {fields.map((f, n) => (
          <FieldRow
            key={f.name}
            table="boat"
            fields={fields}
            at={n}
            classes={[{ name: "contact", title: "Contact" }]}
            onEdit={onEdit}
            onFormula={() => undefined}
          />
        ))}
      </tbody>
    </table>,
  );
  return onEdit;
}

afterEach(cleanup);

describe("a field in the sheet", () => {
  const fields = [field("a", "A"), field("b", "B"), field("c", "C")];

  it("takes a label typed over the old one, and Enter goes to the next field", async () => {
    const onEdit = sheet(fields);
    const cell = screen.getByLabelText("Label of a");
    await userEvent.clear(cell);
    await userEvent.type(cell, "Berth{Enter}");
    expect(onEdit).toHaveBeenCalledWith([{ table: "boat", field: "a", keep: false, label: "Berth" }]);
    expect(document.activeElement).toBe(screen.getByLabelText("Label of b"));
    await userEvent.keyboard("{ArrowUp}");
    expect(document.activeElement).toBe(screen.getByLabelText("Label of a"));
  });

  it("edits nothing where nothing changed, and takes no empty label", async () => {
    const onEdit = sheet(fields);
    await userEvent.click(screen.getByLabelText("Label of a"));
    await userEvent.keyboard("{ArrowDown}{ArrowDown}{ArrowDown}");
    await userEvent.clear(screen.getByLabelText("Label of b"));
    await userEvent.tab();
    expect(onEdit).not.toHaveBeenCalled();
  });

  it("gives up what was typed on Escape", async () => {
    const onEdit = sheet(fields);
    await userEvent.type(screen.getByLabelText("Meaning of a"), "wrong{Escape}{Enter}");
    expect(onEdit).not.toHaveBeenCalled();
  });

  it("fills the fields below with a pasted column, in one edit", () => {
    const onEdit = sheet(fields);
    fireEvent.paste(screen.getByLabelText("Unit of b"), { clipboardData: { getData: () => "m\nkg\n" } });
    expect(onEdit.mock.calls).toEqual([
      [
        [
          { table: "boat", field: "b", keep: false, unit: "m" },
          { table: "boat", field: "c", keep: false, unit: "kg" },
        ],
      ],
    ]);
  });

  it("keeps a guess with one press, and says why it was made", async () => {
    const onEdit = sheet([field("a", "A", { guesses: [{ what: "label", why: "from the name “a”" }] })]);
    const keep = screen.getByRole("button", { name: "Keep what is guessed of A" });
    expect(keep.title).toContain("from the name");
    await userEvent.click(keep);
    expect(onEdit).toHaveBeenCalledWith([{ table: "boat", field: "a", keep: false, label: "A" }]);
  });

  it("says what kind of personal data it is, or that it is none", async () => {
    const onEdit = sheet([field("a", "A", { personal: true, personal_class: "contact" })]);
    const personal = screen.getByRole("combobox", { name: "Personal data in A" });
    expect(personal).toHaveProperty("value", "contact");
    await userEvent.selectOptions(personal, "none");
    expect(onEdit).toHaveBeenCalledWith([{ table: "boat", field: "a", keep: false, personal: false }]);
  });

  it("offers the kind that its texts could be read as", async () => {
    const onEdit = sheet([
      field("a", "A", { guesses: [{ what: "could be integer", why: "9 of 9 values" }] }),
    ]);
    await userEvent.click(screen.getByRole("button", { name: "read as whole number" }));
    expect(onEdit).toHaveBeenCalledWith([{ table: "boat", field: "a", keep: false, kind: "integer" }]);
  });
});
