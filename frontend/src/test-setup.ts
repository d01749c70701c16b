import { rememberVocabulary } from "./shared/vocabulary";
import lists from "./vocabulary.sample.json";
import type { Vocabulary } from "./api";

// The lists as the server declares them: `scripts/openapi.py` writes them.
rememberVocabulary(lists as Vocabulary);
