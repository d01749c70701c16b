import { createContext, useContext } from "react";

interface Tried {
  /** The key of another source that the document is tried on, which may be empty; null for its own. */
  elsewhere: string | null;
  tryOn: (key: string | null) => void;
}

/** What a document is tried on, for all that is asked about its records. */
export const TriedContext = createContext<Tried>({ elsewhere: null, tryOn: () => undefined });

export function useTried(): Tried {
  return useContext(TriedContext);
}

/** How the records of a template are asked about: those of its own source, or of the one that it is tried on. */
export function useAsked(templateId: number) {
  const { elsewhere } = useTried();
  return {
    elsewhere,
    // Elsewhere nothing was sent yet.
    template_id: elsewhere === null ? templateId : null,
    params: { query: elsewhere === null ? {} : { source: elsewhere } },
  };
}

export type Asked = ReturnType<typeof useAsked>;
