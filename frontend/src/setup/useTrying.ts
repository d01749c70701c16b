import { useCallback, useState } from "react";
import type { SourceStep } from "../api";

interface Trying {
  steps: SourceStep[];
  busy: boolean;
  /** The address that was tried to its end. */
  tried: string;
  error: unknown;
  run: (address: string) => Promise<boolean>;
}

/** Try an address; each step is shown as it is done. */
export function useTrying(): Trying {
  const [steps, setSteps] = useState<SourceStep[]>([]);
  const [busy, setBusy] = useState(false);
  const [tried, setTried] = useState("");
  const [error, setError] = useState<unknown>(null);
  const run = useCallback(async (address: string) => {
    setSteps([]);
    setError(null);
    setBusy(true);
    const found: SourceStep[] = [];
    try {
      const response = await fetch("/api/v1/sources/try", {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body: JSON.stringify({ address }),
      });
      if (!response.ok || !response.body) throw new Error(`The server answered ${response.status}.`);
      for await (const step of stepsIn(response.body)) {
        found.push(step);
        setSteps([...found]);
      }
      setTried(address);
    } catch (problem) {
      setError(problem);
    } finally {
      setBusy(false);
    }
    return found.length > 0 && found.at(-1)!.mark !== "wrong";
  }, []);
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
