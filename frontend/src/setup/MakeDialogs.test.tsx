import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { CatalogueEdit, CuratedType } from "../api";
import { FieldDialog, TypeDialog } from "./MakeDialogs";
import { field } from "./madeUp";

afterEach(cleanup);

const BOATS: CuratedType = {
  table: "boat",
  name: "boat",
  label: "boat",
  plural: "boats",
  meaning: "",
  title: null,
  link: null,
  touched_by: null,
  belongs_to: null,
  unit_by: null,
  by_row: false,
  guesses: [],
  fields: [field("fare", "Fare"), field("net", "Net", { formula: "{fare} / 1.2" })],
  relations: [],
  made_of: "",
  where: {},
};

const shared = (onEdit: (edit: CatalogueEdit) => void) => ({
  busy: false,
  error: null,
  onEdit,
  onClose: () => undefined,
});

describe("a field by formula", () => {
  it("is made of the fields that are put in, and of no made one", async () => {
    const onEdit = vi.fn<(edit: CatalogueEdit) => void>();
    render(<FieldDialog type={BOATS} {...shared(onEdit)} />);
    expect(screen.queryByRole("button", { name: "Net" })).toBeNull();
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "Make it" }).disabled).toBe(true);
    await userEvent.type(screen.getByLabelText("Label"), "Twice");
    await userEvent.type(screen.getByLabelText("Formula"), "2 * ");
    await userEvent.click(screen.getByRole("button", { name: "Fare" }));
    await userEvent.click(screen.getByRole("button", { name: "Make it" }));
    expect(onEdit.mock.lastCall![0].made).toEqual({ label: "Twice", formula: "2 * {fare}", meaning: "" });
    expect(onEdit.mock.lastCall![0].field).toBeUndefined();
  });

  it("keeps its name when its formula is changed", async () => {
    const onEdit = vi.fn<(edit: CatalogueEdit) => void>();
    render(<FieldDialog type={BOATS} field={BOATS.fields[1]} {...shared(onEdit)} />);
    await userEvent.click(screen.getByRole("button", { name: "Change it" }));
    expect(onEdit.mock.lastCall![0].field).toBe("net");
  });
});

describe("records made from others", () => {
  it("are those for which a formula is true", async () => {
    const onEdit = vi.fn<(edit: CatalogueEdit) => void>();
    render(<TypeDialog type={BOATS} {...shared(onEdit)} />);
    await userEvent.type(screen.getByLabelText("One is called"), "dear boat");
    await userEvent.type(screen.getByLabelText("Several"), "dear boats");
    await userEvent.click(screen.getByRole("button", { name: "Fare" }));
    await userEvent.type(screen.getByLabelText("Those for which this is true"), " > 40");
    await userEvent.click(screen.getByRole("button", { name: "Make them" }));
    expect(onEdit.mock.lastCall![0].made_type?.where).toEqual({ all: [{ formula: "{fare} > 40" }] });
  });
});
