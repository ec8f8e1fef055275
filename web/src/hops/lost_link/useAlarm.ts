import { useCallback, useEffect, useRef, useState } from "react";
import type { AlarmFound, FlightNews } from "../../api/types";
import { followLines } from "../../look/followLines";

/** Which column of a log is what, by number from 0. */
export type Roles = NonNullable<FlightNews["roles"]>;

interface Reading {
  progress: number;
  says: string;
  heads: string[];
  roles: Roles;
  found: AlarmFound | null;
  error: string | null;
}

const BEGUN: Reading = { progress: 0, says: "opening", heads: [], roles: {}, found: null, error: null };

/** Let the server read a flight's log for its alarm line; `roles` where columns were corrected by hand. What was found before stays while it is read anew. Leaving the page stops it. */
export function useAlarm(log: string, margin: number | null, roles: Roles | null): Reading & { stop: () => void } {
  const [reading, setReading] = useState<Reading>(BEGUN);
  const stopping = useRef<AbortController | null>(null);
  const asked = new URLSearchParams({
    ...(margin === null ? {} : { margin: String(margin) }),
    ...(roles === null ? {} : { roles: JSON.stringify(roles) }),
  }).toString();
  useEffect(() => {
    const stop = new AbortController();
    stopping.current = stop;
    setReading((before) => ({ ...BEGUN, heads: before.heads, roles: before.roles, found: before.error ? null : before.found }));
    followLines<FlightNews>(
      `/api/flights/${log}/alarm?${asked}`,
      stop.signal,
      (news) => Boolean(news.done ?? news.error),
      (news) =>
        setReading((now) => ({
          progress: news.progress ?? now.progress,
          says: news.says || now.says,
          heads: news.heads ?? now.heads,
          roles: news.roles ?? now.roles,
          found: news.done ?? (news.error ? null : now.found),
          error: news.error ?? now.error,
        })),
    ).catch((error: Error) => {
      if (!stop.signal.aborted) setReading((now) => ({ ...now, found: null, error: error.message }));
    });
    return () => stop.abort();
  }, [log, asked]);
  const stop = useCallback(() => {
    stopping.current?.abort();
    setReading((now) => ({ ...now, error: "Stopped. Nothing was lost; open it again to read it." }));
  }, []);
  return { ...reading, stop };
}
