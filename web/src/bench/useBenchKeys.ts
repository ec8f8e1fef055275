import { useEffect } from "react";
import type { Transmitter } from "../api/types";
import { clampStick, released, type Side } from "./sticks";
import type { Stick } from "./types";
import { sendHands, useBenchStore } from "./useBench";

const SPEED = 2.6; // full deflections a second while a key is held
const LEFT: Record<string, [keyof Stick, number]> = { KeyW: ["y", 1], KeyS: ["y", -1], KeyA: ["x", -1], KeyD: ["x", 1] };
const ARROWS: Record<string, [keyof Stick, number]> = {
  ArrowUp: ["y", 1],
  ArrowDown: ["y", -1],
  ArrowLeft: ["x", -1],
  ArrowRight: ["x", 1],
};

/** The gimbals as the hand holds them now: ahead of what the bench reports back. */
const held: Record<Side, Stick | null> = { left: null, right: null };

function stickNow(side: Side): Stick {
  return held[side] ?? useBenchStore.getState().live?.[side] ?? { x: 0, y: 0 };
}

export function moveStick(side: Side, to: Stick): void {
  held[side] = clampStick(to);
  sendHands({ [side]: held[side] });
}

export function letGo(side: Side, stickMode: number): void {
  sendHands({ [side]: released(stickNow(side), side, stickMode) });
  held[side] = null;
}

const NOT_TYPED = ["checkbox", "radio", "button", "submit", "file"];

/** Whether a key belongs to what has the focus rather than to the bench. */
function typing(target: EventTarget | null, arrow: boolean): boolean {
  if (target instanceof HTMLInputElement && NOT_TYPED.includes(target.type)) return false;
  if (!arrow && target instanceof HTMLElement && target.matches('[role="combobox"][aria-expanded="false"]:not(input)')) return false; // a closed list takes no letters
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable ||
      /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) ||
      target.closest(
        arrow
          ? '[role="listbox"],[role="dialog"],[role="combobox"],[role="slider"],[role="radiogroup"],[role="tablist"]'
          : '[role="listbox"],[role="dialog"],[role="combobox"]',
      ) !== null)
  );
}

/** Gimbals on W A S D and the arrow keys, switches on the digits, the transmitter on X. */
export function useBenchKeys(transmitter: Transmitter | undefined, stickMode: number): void {
  useEffect(() => {
    const down = new Map<string, { side: Side; axis: keyof Stick; way: number }>();
    let frame = 0;
    let last = 0;
    const move = (now: number) => {
      const by = Math.min(0.05, (now - last) / 1000) * SPEED;
      last = now;
      for (const side of ["left", "right"] as const) {
        const pushes = [...down.values()].filter((key) => key.side === side);
        if (pushes.length === 0) continue;
        const stick = { ...stickNow(side) };
        for (const push of pushes) stick[push.axis] += push.way * by;
        moveStick(side, stick);
      }
      frame = down.size > 0 ? requestAnimationFrame(move) : 0;
    };
    const press = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.altKey || event.metaKey || typing(event.target, event.code.startsWith("Arrow"))) return;
      const digit = /^Digit([1-9])$/.exec(event.code);
      if (digit) {
        flip(transmitter, Number(digit[1]) - 1, event.shiftKey ? -1 : 1);
        return;
      }
      if (event.code === "KeyX" && !event.repeat) sendHands({ transmitter_on: !useBenchStore.getState().live?.transmitter_on });
      const focused = event.target instanceof Element ? event.target.closest("[data-gimbal]")?.getAttribute("data-gimbal") : null;
      const key = LEFT[event.code] ?? ARROWS[event.code];
      if (!key) return;
      event.preventDefault();
      if (event.repeat) return;
      const side: Side = LEFT[event.code] ? "left" : focused === "left" ? "left" : "right";
      down.set(event.code, { side, axis: key[0], way: key[1] });
      if (!frame) {
        last = performance.now();
        frame = requestAnimationFrame(move);
      }
    };
    const release = (event: KeyboardEvent) => {
      const key = down.get(event.code);
      if (!key) return;
      down.delete(event.code);
      if (![...down.values()].some((other) => other.side === key.side)) letGo(key.side, stickMode);
    };
    const releaseAll = () => {
      for (const key of down.values()) letGo(key.side, stickMode);
      down.clear();
    };
    window.addEventListener("keydown", press);
    window.addEventListener("keyup", release);
    window.addEventListener("blur", releaseAll);
    return () => {
      window.removeEventListener("keydown", press);
      window.removeEventListener("keyup", release);
      window.removeEventListener("blur", releaseAll);
      cancelAnimationFrame(frame);
    };
  }, [transmitter, stickMode]);
}

/** Flips that the bench has not reported back yet: two quick ones must count twice. */
const flipped = new Map<string, { to: number; when: number }>();
const ECHO_MS = 300;

/** On to the next position, or back one. A two-position switch goes to and fro either way. */
function flip(transmitter: Transmitter | undefined, index: number, by: number): void {
  const part = transmitter?.switches[index];
  const now = useBenchStore.getState().live?.switches;
  if (!part || !now) return;
  const last = flipped.get(part.name);
  const from = last && performance.now() - last.when < ECHO_MS ? last.to : (now[part.name] ?? 0);
  const to = (from + by + part.positions) % part.positions;
  flipped.set(part.name, { to, when: performance.now() });
  sendHands({ switches: { [part.name]: to } });
}
