import type { Narrowing, Schemas, TemplateDocument } from "../api";

/** A template document, format `bouquet-template/1`, as the bench edits it. */
export type Document = TemplateDocument;

/** What one row stands for: a record, one of its many children, or a group. */
export type RowRule = NonNullable<Document["rows"]>;
/** A value whose values become columns. */
export type Across = Schemas["Across"];
export type By = Schemas["By"];
/** A question that the template leaves open; conditions name it. */
export type Ask = Schemas["Ask"];
export type Fold = Schemas["Fold"];
export type Column = Schemas["Column"];
/** What a column holds: a field, the same text in every row, many records as one value, or a formula. */
export type ColumnValue = Column["value"];
export type Show = Schemas["Show"];
/** A comparison of a field, or of a column of the sheet: then `column` names it instead of `path`. */
export type Condition = Schemas["Condition"];
/** How a condition compares. */
export type Operator = Condition["is"];
export type Scalar = NonNullable<Condition["value"]>;
export type Has = Schemas["Has"];
export type OrderLevel = Schemas["Order"];
export type Output = Schemas["Output"];
/** A colour in a spreadsheet where a column's value is as said. */
export type Tint = Schemas["Tint"];
export type { Narrowing };
export type { Window } from "../shared";
