import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { answer, api } from "../api";

export interface StartRun {
  template_id: number;
  /** The newest saved version, or the draft as it stands. */
  use: "saved" | "draft";
  format?: "csv" | "xlsx" | "jsonl";
  /** Answers to the template's asks, by name. */
  answers?: Record<string, unknown>;
}

/** Ask for a run. A click that is sent twice makes one run: each asking has a key of its own. */
export function useStartRun() {
  const client = useQueryClient();
  const key = useRef(crypto.randomUUID());
  return useMutation({
    mutationFn: (body: StartRun) =>
      answer(
        api.POST("/api/v1/runs", {
          body: { answers: {}, ...body },
          params: { header: { "Idempotency-Key": key.current } },
        }),
      ),
    onSuccess: () => {
      key.current = crypto.randomUUID();
      void client.invalidateQueries({ queryKey: ["runs"] });
    },
  });
}
