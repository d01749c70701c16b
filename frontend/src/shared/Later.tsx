import { Suspense, useLayoutEffect } from "react";
import type { ReactNode } from "react";

/** After this many milliseconds without a field to type into, what was typed is let go. */
const PATIENCE = 5000;

const ENTER = { key: "Enter", bubbles: true, cancelable: true };

/** A dialog that is loaded when it is first opened; what is typed meanwhile goes into its field. */
export function Later({ children }: { children: ReactNode }) {
  return <Suspense fallback={<TypedMeanwhile />}>{children}</Suspense>;
}

function TypedMeanwhile() {
  // Without a clean-up: keys are kept beyond the loading, until the dialog has put the focus somewhere.
  useLayoutEffect(keepTyped, []);
  return null;
}

/** Keeps the keys typed from now on, and gives them to the first field that takes the focus. */
function keepTyped() {
  let typed = "";
  let entered = false;
  const ended = new AbortController();
  const options = { capture: true, signal: ended.signal };
  const end = () => ended.abort();
  const patience = setTimeout(end, PATIENCE);
  ended.signal.addEventListener("abort", () => clearTimeout(patience));
  window.addEventListener(
    "keydown",
    (event) => {
      const { key } = event;
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if (key === "Backspace") typed = typed.slice(0, -1);
      else if (key === "Enter") entered = typed !== "";
      else if (key.length === 1) typed += key;
      else return;
      event.preventDefault();
      event.stopImmediatePropagation();
    },
    options,
  );
  window.addEventListener(
    "focusin",
    ({ target }) => {
      if (!(target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement)) return;
      if (!target.matches(":read-write")) return;
      end();
      if (typed) typeInto(target, typed);
      // What Enter does depends on what the field has been told: not before that is drawn.
      if (entered) setTimeout(() => target.dispatchEvent(new KeyboardEvent("keydown", ENTER)));
    },
    options,
  );
  // Whoever goes elsewhere by hand no longer types into what is being opened.
  window.addEventListener("pointerdown", end, options);
}

/** As if typed: whoever watches the field learns of it. React notices only what passes by its own setter. */
function typeInto(field: HTMLInputElement | HTMLTextAreaElement, text: string) {
  const own = Object.getOwnPropertyDescriptor(Object.getPrototypeOf(field), "value");
  own?.set?.call(field, field.value + text);
  field.dispatchEvent(new Event("input", { bubbles: true }));
}
