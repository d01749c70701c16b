import { use, useEffect, useLayoutEffect, useState } from "react";
import type { ComponentType } from "react";
import { Button, Modal } from "react-bootstrap";
import { NotLoaded } from "./NotLoaded";
import { tr } from "../i18n";

/** After this many milliseconds without a field to type into, what was typed is let go. */
const PATIENCE = 5000;

const ENTER = { key: "Enter", bubbles: true, cancelable: true };

/** How to forget each load that failed. */
const failures = new Set<() => void>();

/** What could not be loaded is loaded again when it is next asked for. */
export function forgetFailures() {
  failures.forEach((forget) => forget());
  failures.clear();
}

/** Loads a part of the program once; one that failed goes on failing until that is forgotten, or React would not rest. */
function once<P>(load: () => Promise<ComponentType<P>>) {
  const state: { part?: ComponentType<P>; loading?: Promise<ComponentType<P>> } = {};
  const fetched = () =>
    (state.loading ??= load().then(
      (part) => (state.part = part),
      (error: unknown) => {
        failures.add(() => (state.loading = undefined));
        throw new NotLoaded(error);
      },
    ));
  return { state, fetched };
}

/**
 * A place that is loaded when it is first gone to, or ahead by its `load`. What surrounds it shows that it waits; once it
 * is loaded it is there at once, without a moment of waiting that React would draw out to 300 ms.
 */
export function place<P extends object>(load: () => Promise<ComponentType<P>>) {
  const { state, fetched } = once(load);
  function Place(props: P) {
    const Part = state.part ?? use(fetched());
    return <Part {...props} />;
  }
  return Object.assign(Place, { load: () => void fetched().catch(() => undefined) });
}

/** What every dialog is told: how it closes. */
interface Closing {
  onClose: () => void;
}

/**
 * A dialog that is loaded when it is first opened; what is typed meanwhile goes into its field. It shows as soon as it is
 * there: what React itself suspends stays away for 300 ms.
 */
export function later<P extends Closing>(load: () => Promise<ComponentType<P>>): ComponentType<P> {
  const { state, fetched } = once(load);
  return function Later(props: P) {
    const [loaded, setLoaded] = useState<{ Part?: ComponentType<P>; failed?: true }>({ Part: state.part });
    useEffect(() => {
      let open = true;
      fetched().then(
        (Part) => open && setLoaded({ Part }),
        () => {
          forgetFailures();
          if (open) setLoaded({ failed: true });
        },
      );
      return () => {
        open = false;
      };
    }, []);
    const { Part, failed } = loaded;
    if (Part) return <Part {...props} />;
    return failed ? <NotOpened onClose={props.onClose} /> : <TypedMeanwhile />;
  };
}

function NotOpened({ onClose }: Closing) {
  return (
    <Modal show onHide={onClose} aria-labelledby="not-opened">
      <Modal.Header closeButton>
        <Modal.Title id="not-opened">{tr("That could not be opened")}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {tr("The server cannot be reached just now, or Bouquet was renewed in the meantime.")}
      </Modal.Body>
      <Modal.Footer>
        <Button variant="quiet" onClick={onClose}>
          {tr("Close")}
        </Button>
        <Button onClick={() => window.location.reload()}>{tr("Load the page again")}</Button>
      </Modal.Footer>
    </Modal>
  );
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
