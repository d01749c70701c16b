import { cleanup, configure } from "@testing-library/react";
import { afterEach } from "vitest";
import { rememberVocabulary } from "./shared/vocabulary";
import lists from "./vocabulary.sample.json";
import type { Vocabulary } from "./api";

// A busy machine is slow; what never comes still fails.
configure({ asyncUtilTimeout: 10_000 });

// The lists as the server declares them: `scripts/openapi.py` writes them.
rememberVocabulary(lists as Vocabulary);

// All files share one page: what one left would be found by the next.
afterEach(cleanup);
