import { type RefObject, useLayoutEffect, useRef } from "react";
import { type Bench, useBenchStore } from "./useBench";

const CALM_MS = 120;

/**
 * Writes a text that may change with every snapshot straight into an element: the first change at once, later ones every `calm` ms, which
 * is as fast as anybody reads. Nothing else of the page is looked at for it. It goes with the snapshots, so that no picture is made between them.
 */
export function useDrawn<E extends Element>(
  pick: (bench: Bench) => string,
  draw: (element: E, text: string) => void,
  calm = CALM_MS,
): RefObject<E | null> {
  const element = useRef<E>(null);
  useLayoutEffect(() => {
    let last: string | undefined;
    let due = 0;
    const show = (bench: Bench) => {
      if (!element.current || performance.now() < due) return;
      const text = pick(bench);
      if (text === last) return;
      last = text;
      due = (Math.floor(performance.now() / calm) + 1) * calm; // all at the same moments, so that the page is laid out once for all of them
      draw(element.current, text);
    };
    show(useBenchStore.getState());
    return useBenchStore.subscribe(show);
  });
  return element;
}

/** The same for a text that is all there is in its element. */
export function useWritten<E extends Element>(pick: (bench: Bench) => string, calm = CALM_MS): RefObject<E | null> {
  return useDrawn<E>(
    pick,
    (element, text) => {
      element.textContent = text;
    },
    calm,
  );
}

/** Keeps a figure still until it has really moved: a reading that flickers by its noise cannot be read. */
export function useStill(least: number): (value: number | null | undefined) => number | null {
  const kept = useRef<number | null>(null);
  return (value) => {
    if (value == null || kept.current === null || Math.abs(value - kept.current) >= least) kept.current = value ?? null;
    return kept.current;
  };
}
