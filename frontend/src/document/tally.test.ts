import { describe, expect, it } from "vitest";
import { leadingColumns } from "./hooks/useLook";

const column = (field: string, heading = field) => ({ id: heading, heading, value: { field } });

describe("what of the columns the tally is asked about", () => {
  it("is one column for each record they lead to", () => {
    const columns = [column("tag"), column("site.name"), column("site.ward.name"), column("site.code")];

    expect(leadingColumns(columns)?.map((c) => c.value)).toEqual([
      { field: "site.code" },
      { field: "site.ward.name" },
    ]);
  });

  it("is the same however columns are called and whatever stands beside them", () => {
    const before = leadingColumns([column("tag"), column("site.name")]);
    const after = leadingColumns([column("site.name", "Site"), column("note"), column("girth")]);

    expect(after).toEqual(before);
  });

  it("is nothing for columns of the record itself and for constants", () => {
    expect(leadingColumns([column("tag"), { id: "c", heading: "C", value: { constant: "A7" } }])).toEqual([]);
  });
});
