import { useCallback, useEffect, useRef, useState } from "react";
import { lowerBound } from "./useStretch";

const EVERY_S = 0.1;

/** Walk through the frames as fast as they came, laying ten a second open. */
export function useReplay(times: readonly number[] | null, selected: number | null, select: (index: number) => void) {
  const [playing, setPlaying] = useState(false);
  const from = useRef(selected);
  from.current = selected;
  useEffect(() => {
    if (!playing || !times) return;
    const begun = performance.now();
    const start = times[from.current ?? 0] ?? 0;
    let told = 0;
    let asked = requestAnimationFrame(function step() {
      const passed = (performance.now() - begun) / 1000;
      if (passed - told >= EVERY_S) {
        told = passed;
        const at = lowerBound(times, start + passed) - 1;
        if (at >= times.length - 1) setPlaying(false);
        select(Math.max(0, at));
      }
      asked = requestAnimationFrame(step);
    });
    return () => cancelAnimationFrame(asked);
  }, [playing, times, select]);
  const toggle = useCallback(() => setPlaying((now) => !now), []);
  return { playing, toggle };
}
