import { Form } from "react-bootstrap";
import { capital } from "../shared";
import type { Schema } from "./schema";
import { fieldsOf } from "./schema";

interface Props {
  id: string;
  schema: Schema;
  values: Record<string, unknown>;
  onChange: (values: Record<string, unknown>) => void;
}

/** What has to be said of a way out, from its description: a field for each of its settings. */
export function SchemaForm({ id, schema, values, onChange }: Props) {
  return (
    <>
      {fieldsOf(schema).map((field) => {
        const put = (value: unknown) => onChange({ ...values, [field.name]: value });
        const value = values[field.name] ?? field.start;
        const label = capital(field.label);
        if (field.kind === "boolean") {
          return (
            <Form.Check
              key={field.name}
              id={`${id}-${field.name}`}
              label={label}
              checked={Boolean(value)}
              onChange={(e) => put(e.target.checked)}
            />
          );
        }
        return (
          <Form.Group key={field.name} controlId={`${id}-${field.name}`}>
            <Form.Label>{label}</Form.Label>
            {field.choices ? (
              <Form.Select value={String(value ?? "")} onChange={(e) => put(e.target.value)}>
                {field.choices.map((choice) => (
                  <option key={choice}>{choice}</option>
                ))}
              </Form.Select>
            ) : (
              <Form.Control
                className="mono"
                autoComplete="off"
                required={field.required}
                type={field.kind === "integer" ? "number" : "text"}
                value={
                  field.kind === "list" ? (value as string[] | undefined)?.join(", ") : String(value ?? "")
                }
                onChange={(e) => put(read(field.kind, e.target.value))}
              />
            )}
          </Form.Group>
        );
      })}
    </>
  );
}

function read(kind: string, text: string): unknown {
  if (kind === "integer") return text === "" ? undefined : Number(text);
  // What stands behind the last comma is still being typed.
  if (kind === "list") return text === "" ? [] : text.split(/,\s*/);
  return text;
}
