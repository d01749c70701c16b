import { useState } from "react";
import type { ReactNode } from "react";
import { Icon } from "./Icon";

export interface Pickable {
  key: string;
  label: ReactNode;
  /** Small print behind the label. */
  note?: ReactNode;
}

interface Props<T extends Pickable> {
  label: string;
  placeholder: string;
  /** What fits the text typed, best first. */
  find: (text: string) => T[];
  onPick: (target: T) => void;
  none: string;
  onText?: (text: string) => void;
}

/** Type to find, arrows to choose, Enter to take. */
export function PickList<T extends Pickable>({ label, placeholder, find, onPick, none, onText }: Props<T>) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const found = find(text);
  const here = Math.min(at, Math.max(0, found.length - 1));
  return (
    <>
      <div className="search">
        <Icon name="search" />
        <input
          autoFocus
          aria-label={label}
          placeholder={placeholder}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            setAt(0);
            onText?.(e.target.value);
          }}
          onKeyDown={(e) => {
            if (e.key === "ArrowDown") setAt(Math.min(here + 1, found.length - 1));
            else if (e.key === "ArrowUp") setAt(Math.max(here - 1, 0));
            else if (e.key === "Enter" && found[here]) onPick(found[here]);
            else return;
            e.preventDefault();
          }}
        />
      </div>
      <div className="pick-list">
        {found.map((target, n) => (
          <button
            key={target.key}
            type="button"
            className="option"
            aria-pressed={n === here}
            onClick={() => onPick(target)}
          >
            {target.label} <span>{target.note}</span>
          </button>
        ))}
        {found.length === 0 && <div className="soft px-2">{none}</div>}
      </div>
    </>
  );
}
