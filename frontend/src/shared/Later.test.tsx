import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { lazy, useState } from "react";
import { afterEach, expect, test, vi } from "vitest";
import { Later } from "./Later";

afterEach(cleanup);

function Field() {
  const [text, setText] = useState("");
  const [done, setDone] = useState("");
  return (
    <>
      <input
        aria-label="Text"
        autoFocus
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => e.key === "Enter" && setDone(text)}
      />
      {done && <p>Done: {done}</p>}
    </>
  );
}

/** A dialog with a field, and what makes it arrive. */
function opening() {
  let arrive = () => {};
  const loaded = new Promise<{ default: typeof Field }>((resolve) => {
    arrive = () => resolve({ default: Field });
  });
  const Dialog = lazy(() => loaded);
  render(
    <Later>
      <Dialog />
    </Later>,
  );
  return () => act(async () => arrive());
}

const type = (keys: Iterable<string>) => {
  for (const key of keys) fireEvent.keyDown(document.body, { key });
};

test("what is typed while a dialog is being loaded stands in its field", async () => {
  const arrive = opening();
  type("ways to");
  await arrive();
  expect(screen.getByLabelText<HTMLInputElement>("Text").value).toBe("ways to");
});

test("keys typed meanwhile are no shortcuts of the page behind", async () => {
  const shortcut = vi.fn();
  window.addEventListener("keydown", shortcut);
  const arrive = opening();
  type("a");
  await arrive();
  expect(shortcut).not.toHaveBeenCalled();
  type("a");
  expect(shortcut).toHaveBeenCalledOnce();
  window.removeEventListener("keydown", shortcut);
});

test("corrections and Enter count as well", async () => {
  const arrive = opening();
  type([..."wans", "Backspace", "Backspace", ..."ys", "Enter"]);
  await arrive();
  expect(await screen.findByText("Done: ways")).toBeTruthy();
});
