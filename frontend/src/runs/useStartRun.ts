import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { answer, api } from "../api";
import type { Schemas } from "../api";

type NewRun = Schemas["NewRun"];

/** What is asked for: how, and what of it is not as usual. */
export type StartRun = Pick<NewRun, "use"> & Partial<NewRun>;

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
          body: { answers: {}, windows: {}, purpose: "", as_it: "is", ...body },
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
