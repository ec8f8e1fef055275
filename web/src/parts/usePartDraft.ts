import { useEffect } from "react";
import { create } from "zustand";
import type { Json } from "./SchemaForm";

/** A part that is being typed and not saved yet. It outlives the page: looking something up elsewhere loses nothing. */
export interface PartDraft {
  workshop: number;
  facts: Json;
  version: number | null;
}

export const usePartDraft = create<{ draft: PartDraft | null }>(() => ({ draft: null }));

export const keepDraft = (draft: PartDraft | null) => usePartDraft.setState({ draft });

/** The name that is typed so far. */
export const draftName = (draft: PartDraft) => (draft.facts as { name?: string }).name || "a part without a name";

/** Ask before the browser itself is closed over it. */
export function useWarnOfDraft(): void {
  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => {
      if (usePartDraft.getState().draft) event.preventDefault();
    };
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, []);
}
