import { describe, expect, it } from "vitest";
import { allPages, anchorOf, briefOf, pageOf, pictureAt } from "./pages";

/** Everything that asks for help, as it is written in the components. */
const SOURCES = import.meta.glob<string>(["../**/*.tsx", "!../**/*.test.tsx"], {
  query: "?raw",
  import: "default",
  eager: true,
});

const TOPICS = Object.values(SOURCES).flatMap((text) =>
  [...text.matchAll(/"([a-z-]+#[a-z0-9-]+)"/g)].map((found) => found[1]!),
);

describe("the guide", () => {
  it("has a section with a short text and an example for every question mark", async () => {
    const { pages } = await allPages();
    expect(TOPICS.length).toBeGreaterThan(25);
    for (const topic of TOPICS) {
      const [name, anchor] = topic.split("#");
      const section = pages.find((p) => p.name === name)?.sections.find((s) => s.anchor === anchor);
      expect(section, topic).toBeDefined();
      const { text, example } = briefOf(section!);
      expect(text.length, topic).toBeGreaterThan(20);
      expect(text.length, topic).toBeLessThan(460);
      expect(example, topic).not.toBe("");
    }
  });

  it("lists every page, each with steps, a picture and what goes wrong", async () => {
    const { pages, contents } = await allPages();
    expect(pages.length).toBeGreaterThan(18);
    for (const page of pages) {
      expect(contents, page.name).toContain(`[${page.title}](${page.name}.md)`);
      if (page.name === "running") continue;
      expect(page.text, page.name).toMatch(/^1\. /m);
      expect(page.sections.at(-1)?.title, page.name).toBe("What goes wrong");
    }
  });

  it("points to pages, sections and pictures that are there", async () => {
    const { pages, contents } = await allPages();
    for (const text of [contents, ...pages.map((p) => p.text)]) {
      for (const [, link] of text.matchAll(/\]\(([^)]+)\)/g)) {
        if (/^(https?:|\.\.\/(?!screenshots))/.test(link!)) continue;
        if (link!.endsWith(".png")) expect(await pictureAt(link!), link).not.toBe("");
        else
          expect(
            pages.map((p) => `${p.name}.md`),
            link,
          ).toContain(link);
      }
    }
  });

  it("reads a page into its sections", () => {
    const page = pageOf(
      "a",
      "# Title\n\nIntro.\n\n## When it runs?\n\nFirst\nline.\n\nExample: so\n\n## Next\n\nx",
    );
    expect(page.title).toBe("Title");
    expect(page.sections.map((s) => s.anchor)).toEqual(["when-it-runs", "next"]);
    expect(briefOf(page.sections[0]!)).toEqual({ text: "First line.", example: "so" });
    expect(anchorOf("3. A role, that can only read")).toBe("3-a-role-that-can-only-read");
  });
});
