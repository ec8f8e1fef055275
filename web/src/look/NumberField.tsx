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
  onCommit: (value: number) => void;
}

/** A number that counts once the field is left or Enter is pressed; Escape takes it back. `bare`: what it is stands above it, as in a table. */
export function NumberField({ label, value, unit, min, max, width = 112, bare, onCommit }: Props) {
  const [text, setText] = useState(String(value));
  useEffect(() => setText(String(value)), [value]);
  const number = Number(text);
  const wrong = text.trim() === "" || !Number.isFinite(number) || number < min || number > max;
  const commit = () => {
    if (wrong) setText(String(value));
    else if (number !== value) onCommit(number);
  };
  return (
    <TextField
      label={bare ? undefined : label}
      value={text}
      error={wrong}
      helperText={wrong ? `${min} to ${max}` : undefined}
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
