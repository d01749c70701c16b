import { QueryClient } from "@tanstack/react-query";
import { afterEach, expect, test, vi } from "vitest";
import { answering } from "../testing";
import { resources } from "./resources";

afterEach(() => vi.restoreAllMocks());

const ofKim = { person: { id: 1, name: "Kim" } };

test.each([
  ["the same person", 1, ["of Kim"]],
  ["somebody else", 2, undefined],
])("what was read is kept for %s only", async (_, id, left) => {
  const client = new QueryClient();
  client.setQueryData(["session"], ofKim);
  client.setQueryData(["templates"], ["of Kim"]);
  answering("GET", { "/api/v1/session": { person: { id, name: "Kim or Alex" } } });
  await client.fetchQuery({ ...resources.session(), staleTime: 0 });
  expect(client.getQueryData(["templates"])).toEqual(left);
});
