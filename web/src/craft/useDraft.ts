import { type QueryClient, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect } from "react";
import { create } from "zustand";
import { api, Problem, taken } from "../api/client";
import type { ChangedBy, Craft, CraftDocument, Edit } from "../api/types";

type Change = (document: CraftDocument) => CraftDocument;

/**
 * A change made here, which can be made on top of any draft; or edits, which the server makes. Edits that were worked out from a
 * draft (`madeFor` its version) fit that draft alone: on top of another they could undo what somebody else has done.
 */
type Wish = { craftId: string } & ({ change: Change } | { edits: Edit[]; madeFor?: number });

/** Changes that are not saved yet, and what stands in their way. They outlive the page they were made on. */
interface Unsaved {
  queue: Wish[];
  saving: boolean;
  problem: { text: string; stale: Craft | null; again: boolean; changes: ChangedBy[] } | null;
  /** Why what waits could not be sent, and since when; it is sent by itself once that is over. */
  held: { text: string; since: number } | null;
}

export const useUnsaved = create<Unsaved>(() => ({ queue: [], saving: false, problem: null, held: null }));
const AGAIN_MS = 1500;

/** Once nothing waits to be saved any more (or something stands in its way): what is asked of the newest draft then knows of every change made here. */
export function settled(): Promise<void> {
  const quiet = ({ queue, problem }: Unsaved) => queue.length === 0 || problem !== null;
  if (quiet(useUnsaved.getState())) return Promise.resolve();
  return new Promise((done) => {
    const leave = useUnsaved.subscribe((state) => {
      if (!quiet(state)) return;
      leave();
      done();
    });
  });
}

const key = (craftId: string) => ["craft", craftId];

export function useDraft(craftId: string) {
  const queries = useQueryClient();
  const craft = useQuery({
    queryKey: key(craftId),
    queryFn: (): Promise<Craft> => taken(api.GET("/api/crafts/{craft_id}", { params: { path: { craft_id: craftId } } })),
  });
  const edit = useCallback(
    (wanted: Change | Edit[], madeFor?: number) => {
      const known = queries.getQueryData<Craft>(key(craftId));
      const looked = typeof wanted !== "function" && wanted.every((each) => each.path.startsWith("/servos_turned"));
      if (known && !known.may.includes("build") && !(looked && known.may.includes("check"))) {
        const text = `You are a ${known.role} in this workshop; builders and owners edit.`;
        useUnsaved.setState((state) => (state.queue.length > 0 ? state : { problem: { text, stale: null, again: false, changes: [] } }));
        return;
      }
      const wish = typeof wanted === "function" ? { craftId, change: wanted } : { craftId, edits: wanted, madeFor };
      useUnsaved.setState((state) => ({ queue: [...state.queue, wish] }));
      void saveNext(queries);
    },
    [craftId, queries],
  );
  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => {
      if (useUnsaved.getState().queue.length > 0) event.preventDefault();
    };
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, []);
  return { craft, edit };
}

async function saveNext(queries: QueryClient): Promise<void> {
  const { queue, saving, problem } = useUnsaved.getState();
  const next = queue[0];
  if (!next || saving || problem) return;
  const base = queries.getQueryData<Craft>(key(next.craftId));
  if (!base) return;
  useUnsaved.setState({ saving: true });
  await queries.cancelQueries({ queryKey: key(next.craftId) });
  try {
    const saved = await save(next, base, queries);
    queries.setQueryData(key(next.craftId), saved);
    useUnsaved.setState((state) => ({ queue: state.queue.slice(1), saving: false, held: null }));
    void saveNext(queries);
  } catch (error) {
    if (error instanceof Problem && [0, 503].includes(error.status)) {
      const text = error.status === 0 ? "Coin Bell does not answer." : "The database does not answer.";
      useUnsaved.setState(({ held }) => ({ saving: false, held: { text, since: held?.since ?? Date.now() } }));
      window.setTimeout(() => void saveNext(queries), AGAIN_MS);
      return; // what was changed stays on the screen, and in the queue
    }
    queries.setQueryData(key(next.craftId), base);
    const refused = error instanceof Problem && [400, 404, 422].includes(error.status); // it would be refused again
    const stale = error instanceof Problem && error.status === 409 ? await fetchNow(next.craftId) : null;
    useUnsaved.setState((state) => ({
      saving: false,
      queue: refused ? state.queue.slice(1) : state.queue,
      problem: {
        text: error instanceof Error ? error.message : String(error),
        stale,
        changes: stale ? (((error as Problem).more as { changes?: ChangedBy[] } | undefined)?.changes ?? []) : [],
        again: !refused && !(stale && "madeFor" in next && next.madeFor !== undefined),
      },
    }));
  }
}

async function save(wish: Wish, base: Craft, queries: QueryClient): Promise<Craft> {
  const where = { params: { path: { craft_id: wish.craftId } } };
  if ("edits" in wish)
    return taken(
      api.PATCH("/api/crafts/{craft_id}/draft", { ...where, body: { version: wish.madeFor ?? base.version, edits: wish.edits } }),
    );
  const document = wish.change(structuredClone(base.document));
  queries.setQueryData<Craft>(key(wish.craftId), { ...base, document }); // shown at once, saved in a moment
  return taken(api.PUT("/api/crafts/{craft_id}/draft", { ...where, body: { version: base.version, document } }));
}

async function fetchNow(craftId: string): Promise<Craft | null> {
  try {
    return await taken(api.GET("/api/crafts/{craft_id}", { params: { path: { craft_id: craftId } } }));
  } catch {
    return null;
  }
}

/** Make the waiting changes again, on top of what is there now. */
export function saveOnTop(queries: QueryClient): void {
  const { problem } = useUnsaved.getState();
  if (problem?.stale) queries.setQueryData(key(problem.stale.id), problem.stale);
  useUnsaved.setState({ problem: null });
  void saveNext(queries);
}

/** Let the waiting changes go and look at what is there. */
export function dropUnsaved(queries: QueryClient): void {
  const { problem } = useUnsaved.getState();
  useUnsaved.setState({ queue: [], problem: null, held: null });
  if (problem?.stale) queries.setQueryData(key(problem.stale.id), problem.stale);
  else void queries.invalidateQueries({ queryKey: ["craft"] });
}
