import { useCallback, useState } from "react";
import type { SourceStep } from "../api";
import { tr } from "../i18n";

export interface Trying<Asked> {
  steps: SourceStep[];
  busy: boolean;
  /** What was tried to its end. */
  tried: Asked | null;
  error: unknown;
  run: (asked: Asked) => Promise<boolean>;
}

/** Have the server try something; each step is shown as it is done. */
export function useTrying<Asked extends object>(where: string): Trying<Asked> {
  const [steps, setSteps] = useState<SourceStep[]>([]);
  const [busy, setBusy] = useState(false);
  const [tried, setTried] = useState<Asked | null>(null);
  const [error, setError] = useState<unknown>(null);
  const run = useCallback(
    async (asked: Asked) => {
      setSteps([]);
      setError(null);
      setBusy(true);
      const found: SourceStep[] = [];
      try {
        const response = await fetch(where, {
          method: "POST",
          headers: { "Content-Type": "application/json" },
          body: JSON.stringify(asked),
        });
        if (!response.ok || !response.body) throw await problemOf(response);
        for await (const step of stepsIn(response.body)) {
          found.push(step);
          setSteps([...found]);
        }
        setTried(asked);
      } catch (problem) {
        setError(problem);
      } finally {
        setBusy(false);
      }
      return found.length > 0 && found.at(-1)!.mark !== "wrong";
    },
    [where],
  );
  return { steps, busy, tried, error, run };
}

/** The steps of an event stream, one by one. */
export async function* stepsIn(body: ReadableStream<Uint8Array>): AsyncGenerator<SourceStep> {
  const reader = body.getReader();
  const decoder = new TextDecoder();
  let waiting = "";
  for (;;) {
    const { done, value } = await reader.read();
    waiting += decoder.decode(value, { stream: !done });
    const events = waiting.split("\n\n");
    waiting = events.pop()!;
    for (const event of events) {
      const data = /^data: (.*)$/m.exec(event);
      if (data) yield JSON.parse(data[1]!) as SourceStep;
    }
    if (done) return;
  }
}

/** What the server said was wrong. */
async function problemOf(response: Response): Promise<Error> {
  const said = (await response.json().catch(() => null)) as { detail?: string } | null;
  return new Error(said?.detail ?? tr("The server answered {{status}}.", { status: response.status }));
}
