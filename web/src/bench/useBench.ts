import { replaceEqualDeep } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { create } from "zustand";
import type { Act, Answer, FlashOrder, Hands, Hop, Live, Outage, Report, Told, Trouble, Waiting } from "../api/types";

/** `silent`: there is a connection, but nothing has come for a while. */
type Status = "connecting" | "open" | "silent" | "lost" | "refused";
type Message = Live | Report | Waiting | Answer | Trouble | Outage;

export interface Bench {
  status: Status;
  /** Since when the bench has not answered, ms. */
  silentSince: number | null;
  /** Since when nothing can be recorded, ms. */
  outageSince: number | null;
  live: Live | null;
  report: Report | null;
  waiting: Waiting | null;
  trouble: string | null;
  answer: (Answer & { act: Act; at: number }) | null;
}

const EMPTY: Bench = {
  status: "connecting",
  silentSince: null,
  outageSince: null,
  live: null,
  report: null,
  waiting: null,
  trouble: null,
  answer: null,
};
export const useBenchStore = create<Bench>(() => EMPTY);

const SILENT_MS = 2000;
const LOST_MS = 20_000; // the server says sooner that an act got no answer
const LONGEST_PAUSE_MS = 2000;
const TOO_MUCH = 4429; // this page said more than it should; it comes back, and says less

const NO_ANSWER = "no answer came; it may have been done all the same: look at what is on the board, then try again";

let socket: WebSocket | null = null;
let asked = 0;
let heardAt = 0;
const waiting = new Map<string, { act: Act; done: (answer: Answer) => void }>();
let gathered: Hands = {};
let frame = 0;
let looksAt: Hop | null = null;
const toldFor = new Map<string, number>();

/** Keep a connection to a craft's bench while the page is open; it comes back by itself. */
export function useBenchConnection(craftId: string, hop: Hop, onRefused: (code: number) => void): void {
  useEffect(() => {
    looksAt = hop;
    dropIfOld(hop);
    sendLook();
  }, [hop]);
  useEffect(() => {
    let closed = false;
    let again = 0;
    let pause = 300;
    const connect = () => {
      const scheme = window.location.protocol === "https:" ? "wss" : "ws";
      const opened = new WebSocket(`${scheme}://${window.location.host}/ws/crafts/${craftId}/bench`);
      socket = opened;
      let wasOpen = false;
      opened.onopen = () => {
        wasOpen = true;
        pause = 300;
        heardAt = Date.now();
        sendLook();
        sendGathered(); // what the hands did meanwhile
      };
      opened.onmessage = (event) => {
        heardAt = Date.now();
        take(JSON.parse(event.data) as Message);
      };
      opened.onclose = (event) => {
        if (closed) return;
        for (const [request, { done }] of waiting)
          done({ type: "answer", request, ok: false, text: "the connection to the bench broke before an answer came", recording: null });
        waiting.clear();
        if (event.code >= 4400 && event.code < 4500 && event.code !== TOO_MUCH) return refused(event.code);
        useBenchStore.setState(({ silentSince }) => ({ status: "lost", silentSince: silentSince ?? Date.now() }));
        again = window.setTimeout(wasOpen ? connect : connectUnlessRefused, pause);
        pause = Math.min(pause * 2, LONGEST_PAUSE_MS);
      };
    };
    const refused = (code: number) => {
      useBenchStore.setState({ status: "refused" });
      onRefused(code);
    };
    // A connection that is refused before it opens does not say why: the API does.
    const connectUnlessRefused = async () => {
      const answer = await fetch(`/api/crafts/${craftId}`).catch(() => null);
      if (closed) return;
      if (answer?.status === 403) refused(4401);
      else if (answer?.status === 404) refused(4404);
      else connect();
    };
    const watch = window.setInterval(() => {
      const silent = socket?.readyState === WebSocket.OPEN && Date.now() - heardAt > SILENT_MS;
      if (silent && useBenchStore.getState().status !== "silent") useBenchStore.setState({ status: "silent", silentSince: heardAt });
    }, SILENT_MS / 4);
    useBenchStore.setState(EMPTY);
    gathered = {};
    connect();
    return () => {
      closed = true;
      window.clearInterval(watch);
      window.clearTimeout(again);
      socket?.close();
      socket = null;
    };
  }, [craftId, onRefused]);
}

/** Say which hop is in sight: what is told of the others need not be worked out. */
function sendLook(): void {
  if (looksAt && socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify({ type: "look", hop: looksAt }));
}

/** What was told of a hop for another draft than the present one would offer edits that no longer fit. */
function dropIfOld(hop: Hop): void {
  const field = hop.replace(" ", "_") as keyof Told;
  useBenchStore.setState(({ report }) =>
    report?.told[field] && toldFor.get(field) !== report.draft_version
      ? { report: { ...report, told: { ...report.told, [field]: null } } }
      : {},
  );
}

/** What is told of hops that are not in sight stays as it was, and so does the truth table, which comes only where it has changed. */
function withBefore(told: Told, before: Told | undefined): Told {
  if (!before) return told;
  const kept: Told = { ...before };
  for (const [hop, news] of Object.entries(told)) if (news !== null) Object.assign(kept, { [hop]: news });
  if (kept.switchboard && !kept.switchboard.table) kept.switchboard = { ...kept.switchboard, table: before.switchboard?.table ?? null };
  return kept;
}

/** Snapshots come 25 times a second, reports five times; what has not changed in them stays one and the same object, so that nothing is drawn anew for it. */
function take(message: Message): void {
  switch (message.type) {
    case "live":
      useBenchStore.setState(({ live }) => ({ live: replaceEqualDeep(live, message), status: "open", silentSince: null }));
      break;
    case "report":
      for (const [hop, news] of Object.entries(message.told)) if (news !== null) toldFor.set(hop, message.draft_version);
      useBenchStore.setState(({ report }) => ({
        report: replaceEqualDeep(report, { ...message, told: withBefore(message.told, report?.told) }),
        waiting: null,
      }));
      break;
    case "waiting":
      useBenchStore.setState({ waiting: message, live: null, report: null, status: "open", silentSince: null });
      break;
    case "answer": {
      const asker = waiting.get(message.request);
      waiting.delete(message.request);
      asker?.done(message);
      break;
    }
    case "outage":
      useBenchStore.setState({ outageSince: message.since === null ? null : message.since * 1000 });
      break;
    case "trouble":
      useBenchStore.setState({ trouble: message.text });
      break;
  }
}

/** Send what the hands do: at once, but at most once a screen frame; later moves of the same thing replace earlier ones. */
export function sendHands(hands: Hands): void {
  gathered = { ...gathered, ...hands, switches: { ...gathered.switches, ...hands.switches } };
  if (frame) return;
  sendGathered();
  const again = () => {
    frame = 0;
    if (Object.keys(gathered).length > 0 && socket?.readyState === WebSocket.OPEN) {
      sendGathered();
      frame = requestAnimationFrame(again);
    }
  };
  frame = requestAnimationFrame(again);
}

function sendGathered(): void {
  if (socket?.readyState !== WebSocket.OPEN || Object.keys(gathered).length === 0) return; // it waits until there is a connection
  const { switches, ...rest } = gathered;
  gathered = {};
  const body = switches && Object.keys(switches).length > 0 ? { ...rest, switches } : rest;
  socket.send(JSON.stringify({ type: "hands", ...body }));
}

/** Say that a key is held or let go: now or never, since what is said of it later would be said of another moment. Returns whether it could be said. */
export function sendHold(hold: Pick<Hands, "turn" | "press" | "let_go">): boolean {
  if (socket?.readyState !== WebSocket.OPEN) return false;
  socket.send(JSON.stringify({ type: "hands", ...hold }));
  return true;
}

/** Ask the board for an act and wait for its answer. */
export function doAct(act: Act, version?: number, flash?: FlashOrder): Promise<Answer> {
  return new Promise((done) => {
    asked += 1;
    const request = `${act} ${asked}`;
    const finish = (answer: Answer) => {
      useBenchStore.setState({ answer: { ...answer, act, at: Date.now() } });
      done(answer);
    };
    if (socket?.readyState !== WebSocket.OPEN) {
      finish({ type: "answer", request, ok: false, text: "there is no connection to the bench", recording: null });
      return;
    }
    const late = window.setTimeout(() => {
      waiting.delete(request);
      finish({ type: "answer", request, ok: false, text: NO_ANSWER, recording: null });
    }, LOST_MS);
    waiting.set(request, {
      act,
      done: (answer) => {
        window.clearTimeout(late);
        finish(answer);
      },
    });
    socket.send(JSON.stringify({ type: "act", act, request, version: version ?? null, flash: flash ?? null }));
  });
}

/** Write the draft, then look at what the board has kept of it. */
export async function writeDraft(version: number): Promise<void> {
  const written = await doAct("write", version);
  if (written.ok) await doAct("read back");
}

/** What is picked of all that the bench tells, as one and the same object until it really changes. */
export function useSteady<T>(pick: (bench: Bench) => T): T {
  const last = useRef<T | undefined>(undefined);
  return useBenchStore((state) => {
    last.current = replaceEqualDeep(last.current, pick(state)) as T;
    return last.current;
  });
}

/** Coins and findings as far as they are known: from the running bench, or from the draft while there is none. */
export const known = (bench: Bench) => bench.report ?? bench.waiting;
