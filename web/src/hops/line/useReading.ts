import { useCallback, useEffect, useRef, useState } from "react";
import type { ReadingNews, ReadingView } from "../../api/types";

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
    follow(recording, line, stop.signal, (news) =>
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

async function follow(recording: string, line: string, signal: AbortSignal, tell: (news: ReadingNews) => void): Promise<void> {
  const answer = await fetch(`/api/recordings/${recording}/reading?line=${encodeURIComponent(line)}`, { signal });
  if (!answer.ok || !answer.body) {
    const told = (await answer.json().catch(() => null)) as { detail?: string } | null;
    throw new Error(told?.detail ?? `the server answered ${answer.status}`);
  }
  const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader();
  let held = "";
  let ended = false;
  for (;;) {
    const { done, value } = await reader.read();
    if (done) break;
    held += value;
    const lines = held.split("\n");
    held = lines.pop() ?? "";
    for (const each of lines) {
      if (!each) continue;
      const news = JSON.parse(each) as ReadingNews;
      ended = ended || Boolean(news.done ?? news.error);
      tell(news);
    }
  }
  if (!ended) throw new Error("The reading broke off before its end. Open the recording again.");
}
