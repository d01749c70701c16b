import { expect, test, vi } from "vitest";
import { ApiError, answer, onSignedOut } from "./client";

const refused = (address: string, type: string) => {
  const response = new Response(null, { status: 401 });
  Object.defineProperty(response, "url", { value: `http://bouquet.example${address}` });
  return answer(Promise.resolve({ error: { type, detail: "No.", status: 401 }, response }));
};

test.each([
  ["/api/v1/templates", "/problems/sign_in", 1],
  ["/api/v1/session/preferences?source=a", "/problems/sign_in", 1],
  ["/api/v1/session", "/problems/sign_in", 0],
  ["/api/v1/session?source=a", "/problems/sign_in", 0],
  ["/api/v1/session/password", "/problems/wrong_password", 0],
])("of a 401 from %s with %s it is told that nobody is signed in: %i", async (address, type, times) => {
  const told = vi.fn();
  const stop = onSignedOut(told);
  await expect(refused(address, type)).rejects.toBeInstanceOf(ApiError);
  expect(told).toHaveBeenCalledTimes(times);
  stop();
  await refused("/api/v1/templates", "/problems/sign_in").catch(() => undefined);
  expect(told).toHaveBeenCalledTimes(times);
});
