import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { type ReactNode, useEffect, useState } from "react";
import { colours, mono } from "./colours";

/** Settings as a sentence, each value changed where it stands. */
export function Sentence({ children }: { children: ReactNode }) {
  return <Box sx={{ mb: 0.75, fontSize: 14.5, lineHeight: "33px", "&:last-of-type": { mb: 0 } }}>{children}</Box>;
}

/** A number within a sentence: it counts once it is left or Enter is pressed; Escape takes it back. `empty`: what stands there while nobody has said one, which may be wished back by emptying it. */
export function SayNumber({
  label,
  value,
  unit,
  min,
  max,
  step,
  empty,
  onSay,
}: {
  label: string;
  value: number | null;
  unit: string;
  min: number;
  max: number;
  /** What the board keeps it in steps of. */
  step?: number | undefined;
  empty?: string;
  onSay: (value: number | null) => void;
}) {
  const said = value === null ? "" : String(Number(value.toFixed(2)));
  const [text, setText] = useState(said);
  useEffect(() => setText(said), [said]);
  const number = Number(text);
  const unsaid = text.trim() === "" && empty !== undefined;
  const wrong = !unsaid && (text.trim() === "" || !Number.isFinite(number) || number < min || number > max);
  const kept = step && !wrong && !unsaid ? Number((Math.round(number / step) * step).toFixed(3)) : number;
  const commit = () => {
    if (text === said) return;
    if (unsaid) onSay(null);
    else if (!wrong) onSay(number);
  };
  return (
    <Box component="span" sx={{ whiteSpace: "nowrap" }}>
      <Box
        component="input"
        aria-label={label}
        aria-invalid={wrong}
        inputMode="decimal"
        placeholder={empty}
        value={text}
        onChange={(event: React.ChangeEvent<HTMLInputElement>) => setText(event.target.value)}
        onBlur={commit}
        onKeyDown={(event: React.KeyboardEvent) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") setText(said);
        }}
        sx={{
          ...VALUE,
          borderColor: wrong ? colours.oxide : colours.slate,
          fontFamily: mono,
          textAlign: "center",
          width: `${Math.max(3, text.length + 1, text === "" ? (empty?.length ?? 0) : 0)}ch`,
          "&::placeholder": { color: colours.softInk, fontWeight: 400, opacity: 1, fontFamily: '"Figtree Variable", sans-serif' },
        }}
      />
      {unit && !(text === "" && empty !== undefined) && ` ${unit}`}
      {(wrong || (!unsaid && kept !== number)) && (
        <Box component="span" role="note" sx={{ ml: 0.75, fontSize: 12.5, color: wrong ? colours.oxide : colours.softInk }}>
          {wrong ? `not taken: ${min} to ${max} ${unit}` : `kept as ${kept} ${unit}`}
        </Box>
      )}
    </Box>
  );
}

export interface Choice<T extends string> {
  value: T;
  text: string;
  /** Why it cannot be had; it can be chosen all the same, and is then a finding. */
  why?: string;
}

/** One of a few within a sentence. */
export function SayChoice<T extends string>({
  label,
  value,
  choices,
  onSay,
}: {
  label: string;
  value: T;
  choices: Choice<T>[];
  onSay: (value: T) => void;
}) {
  return (
    <TextField
      select
      variant="standard"
      value={value}
      onChange={(event) => onSay(event.target.value as T)}
      slotProps={{
        htmlInput: { "aria-label": label },
        input: { disableUnderline: true },
        select: {
          "aria-label": label,
          IconComponent: () => null,
          renderValue: () => choices.find((each) => each.value === value)?.text ?? value,
          SelectDisplayProps: { "aria-label": label, style: { padding: 0, minHeight: 0, lineHeight: "24px" } },
        },
      }}
      sx={{ verticalAlign: "baseline", "& .MuiSelect-select": { ...VALUE, display: "inline-block" } }}
    >
      {choices.map((each) => (
        <MenuItem key={each.value} value={each.value}>
          <span>
            {each.text}
            {each.why && <span style={{ display: "block", fontSize: 12, color: colours.softInk }}>{each.why}</span>}
          </span>
        </MenuItem>
      ))}
    </TextField>
  );
}

const VALUE = {
  font: "inherit",
  fontWeight: 600,
  fontSize: 14.5,
  color: colours.ink,
  background: "none",
  border: 0,
  borderBottom: `2px solid ${colours.slate}`,
  borderRadius: 0,
  px: "3px",
  py: 0,
  lineHeight: "24px",
  cursor: "pointer",
  "&:hover": { background: colours.slateWash },
  "&:focus-visible": { outline: `2px solid ${colours.verdigris}`, outlineOffset: 2 },
} as const;
