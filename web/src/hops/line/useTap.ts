import { useCallback, useEffect, useRef, useState } from "react";
import type { OpenTap, TapAct, TapState } from "../../api/types";

/** A tap on a serial line of the server's machine, for as long as the page is open. */
export function useTap(craftId: string): {
  state: TapState | null;
  lost: boolean;
  send: (command: Omit<OpenTap, "type"> | TapAct["type"]) => void;
} {
  const [state, setState] = useState<TapState | null>(null);
  const [lost, setLost] = useState(false);
  const socket = useRef<WebSocket | null>(null);
  useEffect(() => {
    let closed = false;
    let again = 0;
    const connect = () => {
      const scheme = window.location.protocol === "https:" ? "wss" : "ws";
      const opened = new WebSocket(`${scheme}://${window.location.host}/ws/crafts/${craftId}/tap`);
      socket.current = opened;
      opened.onopen = () => setLost(false);
      opened.onmessage = (event) => setState(JSON.parse(event.data) as TapState);
      opened.onclose = () => {
        if (closed) return;
        setLost(true);
        again = window.setTimeout(connect, 1500);
      };
    };
    connect();
    return () => {
      closed = true;
      window.clearTimeout(again);
      socket.current?.close();
    };
  }, [craftId]);
  const send = useCallback((command: Omit<OpenTap, "type"> | TapAct["type"]) => {
    const message = typeof command === "string" ? { type: command } : { type: "open", ...command };
    if (socket.current?.readyState === WebSocket.OPEN) socket.current.send(JSON.stringify(message));
  }, []);
  return { state, lost, send };
}
