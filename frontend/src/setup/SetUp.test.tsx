import { cleanup, screen } from "@testing-library/react";
import { afterEach, expect, test } from "vitest";
import { Within, shown } from "../testing";
import { SetUp } from "./SetUp";

afterEach(cleanup);

const at = (place: string, may: string[]) =>
  shown(
    <Within person={{ may: may as never }}>
      <SetUp acts={<button>Add a way</button>}>the list</SetUp>
    </Within>,
    place,
  );

test("an administrator sees the list and what can be done", () => {
  at("/set-up/ways-out", ["keep"]);
  expect(screen.getByText("the list")).toBeTruthy();
  expect(screen.getByRole("button", { name: "Add a way" })).toBeTruthy();
});

test("who types the address of a list that is not theirs is offered nothing that would be refused", () => {
  at("/set-up/ways-out", ["look", "audit"]);
  expect(screen.getByRole("heading", { name: "Set-up" })).toBeTruthy();
  expect(screen.getByText("Only administrators see and change this.")).toBeTruthy();
  expect(screen.queryByText("the list")).toBeNull();
  expect(screen.queryByRole("button", { name: "Add a way" })).toBeNull();
});

test("an auditor sees the journal", () => {
  at("/set-up/journal", ["look", "audit"]);
  expect(screen.getByRole("heading", { name: "Journal" })).toBeTruthy();
  expect(screen.getByText("the list")).toBeTruthy();
});
