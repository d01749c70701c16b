/** The pages of docs/guide, as they are written there: the only source of the guide and of all help. */
export const TEXTS = import.meta.glob<string>("../../../docs/guide/*.md", {
  query: "?raw",
  import: "default",
  eager: true,
});
