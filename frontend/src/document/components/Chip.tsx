import { useRef } from "react";
import type { ReactNode } from "react";
import { Overlay, Popover } from "react-bootstrap";

interface Props {
  label: ReactNode;
  name: string;
  className: string;
  open: boolean;
  onOpen: (open: boolean) => void;
  title: string;
  children: ReactNode;
}

/** A part of the sentence that opens a small editor in place. Escape and a click elsewhere close it. */
export function Chip({ label, name, className, open, onOpen, title, children }: Props) {
  const ref = useRef<HTMLButtonElement>(null);
  const close = () => {
    onOpen(false);
    ref.current?.focus();
  };
  return (
    <>
      <button
        ref={ref}
        type="button"
        className={className}
        aria-haspopup="dialog"
        aria-expanded={open}
        aria-label={name}
        onClick={() => onOpen(!open)}
      >
        {label}
      </button>
      <Overlay
        target={() => ref.current}
        show={open}
        placement="bottom-start"
        rootClose
        onHide={() => onOpen(false)}
        transition={false}
      >
        <Popover
          role="dialog"
          aria-label={title}
          onKeyDown={(event) => {
            if (event.key === "Escape") {
              event.stopPropagation();
              close();
            }
          }}
        >
          <Popover.Body>
            <div className="editor">
              <h3>{title}</h3>
              {children}
            </div>
          </Popover.Body>
        </Popover>
      </Overlay>
    </>
  );
}
