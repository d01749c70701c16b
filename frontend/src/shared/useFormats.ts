import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../api";
import type { FormatInfo } from "../api";
import { rememberVocabulary } from "./vocabulary";

const NONE: FormatInfo[] = [];

/** The lists that the server declares. */
export function useVocabulary() {
  return useQuery({
    queryKey: ["vocabulary"],
    queryFn: async () => {
      const found = await answer(api.GET("/api/v1/vocabulary"));
      rememberVocabulary(found);
      return found;
    },
    staleTime: Infinity,
  });
}

/** The formats there are, as the server declares them. */
export function useFormats(): FormatInfo[] {
  const vocabulary = useVocabulary();
  return vocabulary.data?.formats ?? NONE;
}
