import { useState } from "react";
import { Form } from "react-bootstrap";
import { Icon } from "../../shared";
import { tr } from "../../i18n";

/** The template's name; a click makes it a field. */
export function Title({
  name,
  editable,
  onChange,
}: {
  name: string;
  editable: boolean;
  onChange: (name: string) => void;
}) {
  const [text, setText] = useState<string | null>(null);
  if (text === null) {
    return (
      <h1>
        {editable ? (
          <button
            type="button"
            className="bare"
            title={tr("Click to rename the template")}
            onClick={() => setText(name)}
          >
            {name}{" "}
            <span className="soft" style={{ fontSize: 13 }}>
              <Icon name="pencil" label={tr("Rename")} />
            </span>
          </button>
        ) : (
          name
        )}
      </h1>
    );
  }
  const done = () => {
    if (text.trim() && text.trim() !== name) onChange(text.trim());
    setText(null);
  };
  return (
    <Form.Control
      autoFocus
      aria-label={tr("Name of the template")}
      maxLength={120}
      style={{ width: 380 }}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => {
        if (e.key === "Enter") done();
        if (e.key === "Escape") setText(null);
      }}
    />
  );
}
