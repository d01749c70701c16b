/** The part of JSON Schema that describes what is said of a way out. */
export interface Schema {
  properties?: Record<string, Property>;
  required?: string[];
}

interface Property {
  title?: string;
  type?: string;
  enum?: string[];
  default?: unknown;
  anyOf?: Property[];
}

export interface SchemaField {
  name: string;
  label: string;
  kind: "text" | "integer" | "boolean" | "list";
  choices: string[] | null;
  required: boolean;
  start: unknown;
}

/** The fields of a form for values of a schema, in its order. */
export function fieldsOf(schema: Schema): SchemaField[] {
  return Object.entries(schema.properties ?? {}).map(([name, given]) => {
    const property = given.anyOf ? { ...given, ...given.anyOf.find((one) => one.type !== "null") } : given;
    const kinds: Record<string, SchemaField["kind"]> = {
      integer: "integer",
      boolean: "boolean",
      array: "list",
    };
    return {
      name,
      label: given.title ?? name.replaceAll("_", " "),
      kind: kinds[property.type ?? ""] ?? "text",
      choices: property.enum ?? null,
      required: (schema.required ?? []).includes(name),
      start: given.default,
    };
  });
}

/** Values as they are sent: without what was left blank. */
export function filled(values: Record<string, unknown>): Record<string, unknown> {
  const kept = Object.entries(values)
    .map(([name, value]) => [
      name,
      Array.isArray(value) ? value.map((v) => String(v).trim()).filter(Boolean) : value,
    ])
    .filter(([, value]) => value !== undefined && value !== "" && value !== null);
  return Object.fromEntries(kept) as Record<string, unknown>;
}
