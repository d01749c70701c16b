import { expect, it } from "vitest";
import { browserOf } from "./Sessions";

it.each([
  ["Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/140.0 Safari/537.36", "Chrome on Linux"],
  ["Mozilla/5.0 (Windows NT 10.0) Chrome/140.0 Safari/537.36 Edg/140.0", "Edge on Windows"],
  ["Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15) Version/18.0 Safari/605.1", "Safari on a Mac"],
  ["Mozilla/5.0 (Linux; Android 15) Chrome/140.0 Mobile Safari/537.36", "Chrome on Android"],
  ["Mozilla/5.0 (X11; Ubuntu; rv:140.0) Gecko Firefox/140.0", "Firefox"],
  ["curl/8.5", "A program"],
])("says what a browser is: %s", (agent, words) => {
  expect(browserOf(agent)).toBe(words);
});
