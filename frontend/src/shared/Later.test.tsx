import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { Suspense, useState } from "react";
import { afterEach, expect, test, vi } from "vitest";
import { later, place } from "./Later";

afterEach(cleanup);

function Field({ onClose }: { onClose?: () => void }) {
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
      <button onClick={onClose}>Close the field</button>
    </>
  );
}

/** A dialog with a field, and what makes it arrive. */
function opening() {
  let arrive = () => {};
  const loaded = new Promise<typeof Field>((resolve) => {
    arrive = () => resolve(Field);
  });
  const Dialog = later(() => loaded);
  render(<Dialog onClose={() => undefined} />);
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

test("a dialog shows as soon as it is loaded", async () => {
  const arrive = opening();
  await arrive();
  expect(screen.getByLabelText("Text")).toBeTruthy();
});

test("a dialog that cannot be loaded says so, and is loaded when it is opened again", async () => {
  const load = vi.fn(() => Promise.reject<typeof Field>(new Error("the net is gone")));
  const Dialog = later(load);
  const close = vi.fn();
  const { unmount } = render(<Dialog onClose={close} />);
  expect(await screen.findByText("That could not be opened")).toBeTruthy();
  fireEvent.click(screen.getByText("Close"));
  expect(close).toHaveBeenCalledOnce();
  unmount();
  load.mockImplementation(() => Promise.resolve(Field));
  render(<Dialog onClose={close} />);
  expect(await screen.findByLabelText("Text")).toBeTruthy();
});

test("a place that was loaded ahead never shows that it waits", async () => {
  const Place = place(() => Promise.resolve(Field));
  await act(async () => Place.load());
  const waits = vi.fn(() => null);
  const Waits = waits;
  render(
    <Suspense fallback={<Waits />}>
      <Place />
    </Suspense>,
  );
  expect(screen.getByLabelText("Text")).toBeTruthy();
  expect(waits).not.toHaveBeenCalled();
});
