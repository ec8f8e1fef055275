import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { mono } from "../../look/colours";

const LEAST = 2;
const MOST = 13;

/** A curve as its points in percent, evenly spaced from one end of the stick to the other; empty is straight. */
export function CurveField({ label, points, onCommit }: { label: string; points: number[]; onCommit: (points: number[]) => void }) {
  const shown = points.join(" ");
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const typed = text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number);
  const wrong =
    typed.length > 0 &&
    (typed.length < LEAST || typed.length > MOST || typed.some((percent) => !Number.isFinite(percent) || Math.abs(percent) > 100));
  const commit = () => {
    if (wrong) setText(shown);
    else if (typed.join(" ") !== shown) onCommit(typed);
  };
  return (
    <TextField
      value={text}
      placeholder="straight"
      error={wrong}
      helperText={wrong ? `${LEAST} to ${MOST} percents from -100 to 100` : undefined}
      onChange={(event) => setText(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") commit();
        if (event.key === "Escape") setText(shown);
      }}
      slotProps={{ htmlInput: { "aria-label": label, style: { fontFamily: mono, fontSize: 12.5 } } }}
      sx={{ width: 150 }}
    />
  );
}
