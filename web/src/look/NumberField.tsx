import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { mono } from "./colours";

interface Props {
  label: string;
  value: number;
  unit: string;
  min: number;
  max: number;
  width?: number;
  bare?: boolean;
  /** What the board keeps it in steps of: where that makes another figure of it, it is said while it is typed. */
  step?: number | undefined;
  onCommit: (value: number) => void;
}

/** A number that counts once the field is left or Enter is pressed; Escape takes it back. One that cannot be taken stays, with what could. `bare`: what it is stands above it. */
export function NumberField({ label, value, unit, min, max, width = 112, bare, step, onCommit }: Props) {
  const [text, setText] = useState(String(value));
  useEffect(() => setText(String(value)), [value]);
  const number = Number(text);
  const wrong = text.trim() === "" || !Number.isFinite(number) || number < min || number > max;
  const kept = step && !wrong ? Number((Math.round(number / step) * step).toFixed(3)) : number;
  const commit = () => {
    if (!wrong && number !== value) onCommit(number);
  };
  return (
    <TextField
      label={bare ? undefined : label}
      value={text}
      error={wrong}
      helperText={wrong ? `not taken: ${min} to ${max} ${unit}` : kept === number ? undefined : `kept as ${kept} ${unit}`}
      onChange={(event) => setText(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") commit();
        if (event.key === "Escape") setText(String(value));
      }}
      slotProps={{
        input: { endAdornment: <span style={{ fontSize: 12 }}>{unit}</span> },
        htmlInput: { "aria-label": bare ? label : undefined, inputMode: "decimal", style: { fontFamily: mono } },
      }}
      sx={{ width }}
    />
  );
}
