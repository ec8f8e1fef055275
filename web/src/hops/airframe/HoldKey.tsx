import Box from "@mui/material/Box";
import { type KeyboardEvent, type PointerEvent, useCallback, useEffect, useRef, useState } from "react";
import { sendHold } from "../../bench/useBench";
import { colours } from "../../look/colours";

const EVERY_MS = 50;
let presses = 0;

/** A name that no other press has, in this window or another. */
const newPress = () => `${Date.now().toString(36)} ${Math.random().toString(36).slice(2, 10)} ${++presses}`;

/** A key that turns a motor for as long as it is held, and in no other way: whatever takes the hand or the eyes off it ends it. */
export function HoldKey({ output, disabled }: { output: string; disabled: boolean }) {
  const [held, setHeld] = useState(false);
  const holding = useRef<number | null>(null);
  const end = useCallback(() => {
    if (holding.current === null) return;
    window.clearInterval(holding.current);
    holding.current = null;
    setHeld(false);
    sendHold({ let_go: true });
  }, []);
  const begin = () => {
    if (holding.current !== null || disabled || document.hidden) return;
    const press = newPress();
    const say = () => {
      if (!sendHold({ turn: output, press })) end();
    };
    holding.current = window.setInterval(say, EVERY_MS);
    setHeld(true);
    say();
  };
  useEffect(() => {
    const hidden = () => document.hidden && end();
    window.addEventListener("blur", end);
    window.addEventListener("pagehide", end);
    document.addEventListener("visibilitychange", hidden);
    return () => {
      window.removeEventListener("blur", end);
      window.removeEventListener("pagehide", end);
      document.removeEventListener("visibilitychange", hidden);
      end();
    };
  }, [end]);
  useEffect(() => {
    if (disabled) end();
  }, [disabled, end]);
  const ours = (event: KeyboardEvent) => event.key === " " || event.key === "Enter";
  return (
    <Box
      component="button"
      type="button"
      disabled={disabled}
      aria-label={`Hold to turn ${output}`}
      aria-pressed={held}
      onKeyDown={(event: KeyboardEvent) => {
        if (!ours(event)) return;
        event.preventDefault();
        event.stopPropagation();
        if (!event.repeat) begin(); // a key that repeats by itself is no hand
      }}
      onKeyUp={(event: KeyboardEvent) => ours(event) && end()}
      onBlur={end}
      onPointerDown={(event: PointerEvent<HTMLButtonElement>) => {
        if (event.button !== 0) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        begin();
      }}
      onPointerUp={end}
      onPointerCancel={end}
      onLostPointerCapture={end}
      onContextMenu={(event) => event.preventDefault()}
      sx={{
        font: "inherit",
        fontWeight: 600,
        fontSize: 16,
        minHeight: 52,
        px: 3,
        border: 2,
        borderColor: disabled ? colours.tarnish : colours.copper,
        borderRadius: 1.5,
        color: disabled ? colours.softInk : held ? colours.paper : colours.copperText,
        bgcolor: held ? colours.copper : "transparent",
        cursor: disabled ? "default" : "pointer",
        touchAction: "none",
        userSelect: "none",
        "&:focus-visible": { outline: `3px solid ${colours.verdigris}`, outlineOffset: 2 },
      }}
    >
      {held ? `${output}: let go to stop` : `Hold to turn ${output}`}
    </Box>
  );
}
