import Box from "@mui/material/Box";
import { type FocusEvent, type KeyboardEvent, type PointerEvent, useState } from "react";
import { colours, mono } from "../../look/colours";
import { NumberField } from "../../look/NumberField";

const STEP = 5;
const STEPS: Record<string, number> = { ArrowUp: STEP, ArrowDown: -STEP, PageUp: 5 * STEP, PageDown: -5 * STEP };
export const LINE_LIMITS = {
  low: { name: "Floor line", min: 900, max: 1400 },
  high: { name: "Ceiling line", min: 1600, max: 2100 },
} as const;

export type Which = keyof typeof LINE_LIMITS;

/** What was typed stays on the screen, with what could be taken. */
const cannotBeTaken = (field: HTMLElement) => field.getAttribute("aria-invalid") === "true";

interface Props {
  which: Which;
  us: number;
  /** The same, or where it is being dragged to. */
  shown: number;
  /** Where the line is now drawn, px from the top of the figure, and where its handle stands. */
  y: number;
  x: number;
  usAt: (y: number) => number;
  /** While it is dragged, before it counts. */
  onDrag: (us: number | null) => void;
  onCommit: (us: number) => void;
}

/** The handle of a line in a stick field: dragged where it is drawn, moved with the arrow keys, typed after Enter or a double click. */
export function LineHandle({ which, us, shown, y, x, usAt, onDrag, onCommit }: Props) {
  const { name, min, max } = LINE_LIMITS[which];
  const [typed, setTyped] = useState(false);
  const within = (value: number) => Math.max(min, Math.min(max, Math.round(value / STEP) * STEP));
  const place = (event: PointerEvent<HTMLElement>) =>
    within(usAt(event.clientY - (event.currentTarget.closest("figure")?.getBoundingClientRect().top ?? 0)));
  const key = (event: KeyboardEvent) => {
    const step = STEPS[event.key];
    if (event.key === "Enter") setTyped(true);
    else if (step !== undefined) onCommit(within(us + step));
    else return;
    event.preventDefault();
    event.stopPropagation(); // the arrow keys are the gimbals' elsewhere
  };
  if (typed)
    return (
      <Box
        sx={{ position: "absolute", top: y - 16, left: x - 84, zIndex: 2, bgcolor: "background.paper", borderRadius: 1 }}
        onBlur={(event: FocusEvent<HTMLElement>) => setTyped(cannotBeTaken(event.target))}
        onKeyDown={(event: KeyboardEvent) => {
          event.stopPropagation();
          if (event.key === "Escape") setTyped(false);
          if (event.key === "Enter") setTyped(cannotBeTaken(event.target as HTMLElement));
        }}
        ref={(element: HTMLElement | null) => element?.querySelector("input")?.focus()}
      >
        <NumberField label={name} bare value={us} unit="us" min={min} max={max} width={92} onCommit={onCommit} />
      </Box>
    );
  return (
    <span
      role="slider"
      tabIndex={0}
      aria-label={name}
      aria-orientation="vertical"
      aria-valuemin={min}
      aria-valuemax={max}
      aria-valuenow={shown}
      aria-valuetext={`${shown} us; Enter to type it`}
      title={`${name}: drag it, or double-click to type it`}
      onKeyDown={key}
      onDoubleClick={() => setTyped(true)}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={(event) => event.currentTarget.hasPointerCapture(event.pointerId) && onDrag(place(event))}
      onPointerUp={(event) => {
        const to = place(event);
        onDrag(null);
        if (Math.abs(to - us) > STEP) onCommit(to); // less is a hand that only pressed
      }}
      onPointerCancel={() => onDrag(null)}
      style={{
        position: "absolute",
        top: y - 9,
        left: x - 46,
        width: 44,
        height: 18,
        lineHeight: "17px",
        borderRadius: 5,
        border: `1px solid ${colours.tarnish}`,
        background: colours.paper,
        color: colours.ink,
        fontFamily: mono,
        fontSize: 11.5,
        textAlign: "center",
        cursor: "ns-resize",
        touchAction: "none",
        userSelect: "none",
      }}
    >
      {shown}
    </span>
  );
}
