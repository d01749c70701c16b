import { describe, expect, it } from "vitest";
import { conditionsOf, whereOf } from "./event";

const closed = { path: "state", is: "is", value: "closed" } as const;
const checked = { path: "checked_on", is: "not_blank" } as const;

describe("what has to come true of a record", () => {
  it.each([[[]], [[closed]], [[closed, checked]]])("is read back as it was said: %j", (conditions) => {
    expect(conditionsOf(whereOf([...conditions]))).toEqual(conditions);
  });

  it("is left alone where it is more than a form shows", () => {
    expect(conditionsOf({ any: [closed, checked] })).toBeNull();
    expect(conditionsOf({ all: [closed, { any: [checked] }] })).toBeNull();
  });
});
