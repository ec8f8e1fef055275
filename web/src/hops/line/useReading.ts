import { useCallback, useEffect, useRef, useState } from "react";
import type { ReadingNews, ReadingView } from "../../api/types";
import { followLines } from "../../look/followLines";

interface Reading {
  progress: number;
  says: string;
  view: ReadingView | null;
  error: string | null;
}

const BEGUN: Reading = { progress: 0, says: "opening", view: null, error: null };

/** Let the server read a line of a recording, and follow how far it is. Leaving the page stops it. */
export function useReading(recording: string, line: string): Reading & { stop: () => void } {
  const [reading, setReading] = useState<Reading>(BEGUN);
  const stopping = useRef<AbortController | null>(null);
  useEffect(() => {
    const stop = new AbortController();
    stopping.current = stop;
    setReading(BEGUN);
    followLines<ReadingNews>(
      `/api/recordings/${recording}/reading?line=${encodeURIComponent(line)}`,
      stop.signal,
      (news) => Boolean(news.done ?? news.error),
      (news) =>
        setReading((now) => ({
          progress: news.progress ?? now.progress,
          says: news.says || now.says,
          view: news.done ?? now.view,
          error: news.error ?? now.error,
        })),
    ).catch((error: Error) => {
      if (!stop.signal.aborted) setReading((now) => ({ ...now, error: error.message }));
    });
    return () => stop.abort();
  }, [recording, line]);
  const stop = useCallback(() => {
    stopping.current?.abort();
    setReading((now) => ({ ...now, error: "Stopped. Nothing was lost; open it again to read it." }));
  }, []);
  return { ...reading, stop };
}
