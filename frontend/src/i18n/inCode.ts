/** Reads the front end's own code, for the test that holds it against the catalogues. */
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import ts from "typescript";

/** What the code looks up: texts, and those of them that differ for one and for several. */
export interface Texts {
  plain: Set<string>;
  counted: Set<string>;
  /** Texts that people read and that are not looked up, each as `file:line text`. */
  outside: string[];
}

/** Attributes of elements that people see, or hear. */
const SEEN =
  /^(label|title|placeholder|aria-label|alt|heading|hint|words|text|empty|note|question|act|what|says)$/;

/** Attributes whose value is never a text. */
const NEVER =
  /^(className|to|href|id|style|htmlFor|controlId|variant|type|size|key|role|inputMode|autoComplete|d|src|as)$/;

/** Names of keys, protocols, products and documents; samples of what is typed; words of our own that only code reads. */
const NO_TEXT = new RegExp(
  [
    "^(Enter|Escape|Tab|Space|Delete|Backspace|Arrow\\w+|(Ctrl|Alt|Shift)( .*)?)$",
    "^(Content-Type|If-Match|Idempotency-Key|Bouquet-Eyes|Accept-Language|AbortError|POST|UTC|README|Archive)$",
    "^(PostgreSQL|MariaDB|MySQL|CRLF|LF|Firefox|Edge|Chrome|Safari|GBP|USD|EUR|JPY|English|Deutsch|Français)$",
    "^[dMyHhmsa/:. -]+$|^\\w+/\\w+$|@.*\\.example|TRUE\\(\\)|^Example: $|^With$|^Standing$|^canopy-register$|outside the shell$|^\\(prefers|^btn |^input\\[",
    "^(records records|rows rows.*|order order.*|wrong (place|kind)|whole number|yes or no|host key|hand over|let go)$",
    "^(has|has any none|picks|list picks|column|column result|value|formula|ask|heading|show|filter|into|before|objected)( |$)",
    "^(up to|command line|out|row)\\s*$|^ (row|list)$|^\\[data-",
  ].join("|"),
);

/** Everything in the code below a folder, tests apart. */
export function textsIn(folder: string): Texts {
  const found: Texts = { plain: new Set(), counted: new Set(), outside: [] };
  for (const name of readdirSync(folder, { recursive: true, encoding: "utf8" })) {
    if (!/\.tsx?$/.test(name) || /\.test\.|schema\.d|testing|test-setup|inCode/.test(name)) continue;
    const file = ts.createSourceFile(
      name,
      readFileSync(join(folder, name), "utf8"),
      ts.ScriptTarget.Latest,
      true,
    );
    read(file, file, found);
  }
  return found;
}

function read(node: ts.Node, file: ts.SourceFile, found: Texts): void {
  if (ts.isImportDeclaration(node) || ts.isTypeNode(node)) return;
  if (ts.isCallExpression(node) && ts.isIdentifier(node.expression)) {
    const [first, second, third] = node.arguments;
    if (node.expression.text === "tr" && first && ts.isStringLiteralLike(first)) {
      const several = second && ts.isObjectLiteralExpression(second) && hasCount(second);
      (several ? found.counted : found.plain).add(first.text);
      node.arguments.slice(1).forEach((value) => read(value, file, found));
      return;
    }
    if (node.expression.text === "plural" && second && ts.isStringLiteralLike(second)) {
      const many = third && ts.isStringLiteralLike(third) ? third.text : `${second.text}s`;
      found.counted.add(`{{number}} ${many}`);
      read(first!, file, found);
      return;
    }
  }
  if (ts.isJsxAttribute(node)) {
    const name = node.name.getText(file);
    const value = node.initializer;
    // What a choice stands for goes to the server, which knows one language.
    const option = node.parent.parent;
    if (name === "value" && ts.isJsxOpeningElement(option) && option.tagName.getText(file) === "option")
      if (value?.getText(file).startsWith("{tr(")) note(node, value.getText(file), file, found);
    if (NEVER.test(name)) return;
    const seen =
      value &&
      ts.isStringLiteral(value) &&
      (SEEN.test(name) || (name === "name" && value.text.includes(" ")));
    if (seen && isText(value.text)) note(node, value.text, file, found);
  }
  const text = ts.isJsxText(node)
    ? node.text.trim()
    : ts.isStringLiteralLike(node) && !ts.isJsxAttribute(node.parent)
      ? node.text
      : ts.isTemplateExpression(node)
        ? node.head.text + node.templateSpans.map((span) => span.literal.text).join("")
        : "";
  const words = ts.isJsxText(node)
    ? /[A-Za-z]{2}/
    : /[A-Za-z,.;:] +[a-z“(]|^ ?[a-z]+ [a-z]|^[A-Z][a-z]+( |$)/;
  if (words.test(text) && isText(text)) note(node, text, file, found);
  ts.forEachChild(node, (child) => read(child, file, found));
}

function hasCount(values: ts.ObjectLiteralExpression): boolean {
  return values.properties.some(
    (p) => p.name !== undefined && ts.isIdentifier(p.name) && p.name.text === "count",
  );
}

function isText(text: string): boolean {
  return /[A-Za-z]{2}/.test(text) && !NO_TEXT.test(text) && !/^[./#]|:\/\/|&apos;/.test(text);
}

function note(node: ts.Node, text: string, file: ts.SourceFile, found: Texts): void {
  const line = file.getLineAndCharacterOfPosition(node.getStart(file)).line + 1;
  found.outside.push(`${file.fileName}:${line} ${text}`);
}
