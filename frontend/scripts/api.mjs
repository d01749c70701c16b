/**
 * Write the types of the API from its description. Documents, which refuse names that they do not know, are written with
 * what stands at its default left out: there a property with a default may be absent. Elsewhere answers have them all.
 */
import { readFileSync, writeFileSync } from "node:fs";
import openapiTS, { astToString } from "openapi-typescript";

const description = JSON.parse(readFileSync("openapi.json", "utf-8"));
for (const schema of Object.values(description.components.schemas)) {
  if (schema.additionalProperties !== false) continue;
  for (const property of Object.values(schema.properties ?? {})) delete property.default;
}
const types = astToString(await openapiTS(description));
writeFileSync("src/api/schema.d.ts", `/** Written by “make api” from openapi.json. */\n\n${types}`);
