import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { answer, api } from "../api";
import type { BundleContents, FormatName } from "../api";

export interface StartRun {
  template_id?: number;
  /** A document that is no template, such as what is seen in Records. */
  document?: unknown;
  /** The newest saved version, or the draft as it stands. */
  use: "saved" | "draft";
  /** For this once: only records with these keys, of a saved list, or that meet a further narrowing. */
  only?: string[][];
  picks?: string;
  also?: unknown;
  /** Other windows for this once, by the place of their condition. */
  windows?: Record<string, unknown>;
  /** The columns of a view in the place of the template’s, for this once. */
  view?: number;
  /** What personal data is taken out for. */
  purpose?: string;
  format?: FormatName;
  /** Headings of this language, for this once. */
  language?: string;
  /** Answers to the template's asks, by name. */
  answers?: Record<string, unknown>;
  /** An earlier run once more, as it was or as its template is now. */
  again?: number;
  as_it?: "was" | "is";
  /** Several templates and whole record types on one snapshot. */
  bundle?: BundleContents;
  /** A bundle of the library. */
  bundle_id?: number;
}

/**
 * Ask for a run. A click that is sent twice makes one run: each asking has a key of its own, until it was answered or
 * something else is asked.
 */
export function useStartRun() {
  const client = useQueryClient();
  const asking = useRef({ key: "", said: "" });
  return useMutation({
    mutationFn: (body: StartRun) => {
      const said = JSON.stringify(body);
      if (said !== asking.current.said) asking.current = { key: crypto.randomUUID(), said };
      return answer(
        api.POST("/api/v1/runs", {
          body: { answers: {}, windows: {}, purpose: "", ...body } as never,
          params: { header: { "Idempotency-Key": asking.current.key } },
        }),
      );
    },
    onSuccess: () => {
      asking.current = { key: "", said: "" };
      void client.invalidateQueries({ queryKey: ["runs"] });
    },
  });
}
