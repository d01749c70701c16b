/** The pictures that pages show. */
const PICTURES = import.meta.glob<string>("../../../docs/screenshots/*.png", {
  query: "?url",
  import: "default",
});

export interface Section {
  /** Its heading in small letters, with hyphens. */
  anchor: string;
  title: string;
  text: string;
}

export interface Page {
  name: string;
  title: string;
  text: string;
  sections: Section[];
}

/** A heading as it stands in an address. */
export function anchorOf(heading: string): string {
  return heading
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "-")
    .replace(/^-|-$/g, "");
}

/** A page from what is written in its file. */
export function pageOf(name: string, text: string): Page {
  const [head = "", ...rest] = text.split(/^## /m);
  const title = /^# (.*)$/m.exec(head)?.[1] ?? name;
  const sections = rest.map((part) => {
    const [heading = "", ...lines] = part.split("\n");
    return { anchor: anchorOf(heading), title: heading.trim(), text: lines.join("\n").trim() };
  });
  return { name, title, text, sections };
}

/** The first paragraph of a section, and its example. */
export function briefOf(section: Section): { text: string; example: string } {
  const paragraphs = section.text.split(/\n\s*\n/).map((p) => p.replace(/\s*\n\s*/g, " ").trim());
  const example = paragraphs.find((p) => p.startsWith("Example: "))?.slice("Example: ".length) ?? "";
  return { text: paragraphs.find((p) => !p.startsWith("Example: ") && !p.startsWith("![")) ?? "", example };
}

const nameOf = (path: string) => path.replace(/^.*\//, "").replace(/\.\w+$/, "");

/** All pages in the order of the list of contents, and that list; fetched when somebody first asks. */
export async function allPages(): Promise<{ pages: Page[]; contents: string }> {
  const { TEXTS } = await import("./texts");
  const read = Object.entries(TEXTS).map(([path, text]) => pageOf(nameOf(path), text));
  const contents = read.find((p) => p.name === "README")?.text ?? "";
  const at = (page: Page) => contents.indexOf(`(${page.name}.md)`);
  const pages = read.filter((p) => p.name !== "README").sort((a, b) => at(a) - at(b));
  return { pages, contents };
}

/** The address of a picture that a page shows. */
export async function pictureAt(source: string): Promise<string> {
  const found = Object.entries(PICTURES).find(([path]) => nameOf(path) === nameOf(source));
  return found ? await found[1]() : "";
}
