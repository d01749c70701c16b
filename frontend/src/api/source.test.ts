import { QueryClient } from "@tanstack/react-query";
import { beforeEach, describe, expect, it } from "vitest";
import { aboutSource, currentSource, turnTo } from "./source";

describe("the source that a tab is about", () => {
  const client = new QueryClient();
  beforeEach(() => turnTo(client, ""));

  it("stands in no address while it is the house's first", () => {
    expect(new URL(aboutSource("/api/v1/record-types")).search).toBe("");
  });
  it("stands in every address once another was turned to, and outlives a reload of the tab", () => {
    turnTo(client, "Harbour office");
    expect(currentSource()).toBe("Harbour office");
    expect(new URL(aboutSource("/api/v1/picks?records=boat")).searchParams.get("source")).toBe(
      "Harbour office",
    );
    expect(sessionStorage.getItem("bouquet-source")).toBe("Harbour office");
  });
  it("does not replace one that an address names itself", () => {
    turnTo(client, "Harbour office");
    expect(new URL(aboutSource("/x?source=Jetty")).searchParams.getAll("source")).toEqual(["Jetty"]);
  });
  it("takes what was read of the last source with it, and leaves what is of none", () => {
    client.setQueryData(["record-types"], ["tree"]);
    client.setQueryData(["session"], { person: "Kim" });
    client.setQueryData(["templates"], ["Trees"]);
    // Without the lists there is no page: whatever was being done on it would be lost.
    client.setQueryData(["vocabulary"], { formats: [] });
    turnTo(client, "Jetty");
    expect(client.getQueryData(["record-types"])).toBeUndefined();
    expect(client.getQueryData(["session"])).toEqual({ person: "Kim" });
    expect(client.getQueryData(["templates"])).toEqual(["Trees"]);
    expect(client.getQueryData(["vocabulary"])).toEqual({ formats: [] });
  });
});
