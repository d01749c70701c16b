import { describe, expect, it } from "vitest";
import { stepsIn } from "./useTrying";

/** A body that arrives in pieces, cut wherever a network cuts it. */
function arriving(text: string, size: number): ReadableStream<Uint8Array> {
  const bytes = new TextEncoder().encode(text);
  return new ReadableStream({
    start(controller) {
      for (let n = 0; n < bytes.length; n += size) controller.enqueue(bytes.slice(n, n + size));
      controller.close();
    },
  });
}

const STEPS = [
  { name: "reachable", mark: "good", says: "db.harbour.example answers at port 5432." },
  { name: "signed in", mark: "wrong", says: "The password is wrong for “reader”." },
];

describe("the steps of a try", () => {
  it.each([1, 2, 7, 1000])("are read one by one, however they are cut (%i bytes at a time)", async (size) => {
    const text = `: listening\n\n${STEPS.map((s) => `data: ${JSON.stringify(s)}\n\n`).join("")}`;
    const found = [];
    for await (const step of stepsIn(arriving(text, size))) found.push(step);
    expect(found).toEqual(STEPS);
  });
});
