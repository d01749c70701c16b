import { expect, it } from "vitest";
import de from "./catalogues/de.json";
import en from "./catalogues/en.json";
import fr from "./catalogues/fr.json";
import { textsIn } from "./inCode";

const texts = textsIn("src");
const forms = [...texts.counted].flatMap((text) => [`${text}_one`, `${text}_other`]);
const catalogues: [string, Record<string, string>][] = [
  ["de", de],
  ["fr", fr],
];

const placeholders = (text: string) => [...text.matchAll(/\{\{(\w+)\}\}/g)].map((m) => m[1]).sort();

it("finds every text that people read looked up in the catalogues", () => {
  expect(texts.plain.size).toBeGreaterThan(1500);
  expect(texts.outside).toEqual([]);
});

it.each(catalogues)("has every text in %s, and no other", (_, catalogue) => {
  expect(Object.keys(catalogue).sort()).toEqual([...texts.plain, ...forms].sort());
});

it("has forms for one and for several in English where a text needs them", () => {
  const nouns = Object.keys(en).filter((key) => !forms.includes(key));
  const missing = forms.filter((key) => !(key in en) && !key.startsWith("{{number}} "));
  expect([nouns, missing]).toEqual([[], []]);
});

it.each(catalogues)("fills the same values in in %s", (_, catalogue) => {
  const odd = Object.entries(catalogue).filter(([key, text]) => {
    const own = placeholders(text);
    const wanted = placeholders(key);
    // A form for one may leave its number out.
    return key.endsWith("_one") ? own.some((p) => !wanted.includes(p)) : own.join() !== wanted.join();
  });
  expect(odd).toEqual([]);
});
