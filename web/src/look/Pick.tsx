import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";

/** One of a few. `bare`: what it is stands above it, as in a table. A value that is none of the options shows as empty. */
export function Pick<T extends string | number>({
  label,
  value,
  options,
  width = 120,
  bare,
  onPick,
}: {
  label: string;
  value: T;
  options: { value: T; text: string }[];
  width?: number;
  bare?: boolean;
  onPick: (value: T) => void;
}) {
  return (
    <TextField
      select
      label={bare ? undefined : label}
      value={options.some((option) => option.value === value) ? value : ""}
      onChange={(event) => onPick(event.target.value as T)}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true }, htmlInput: { "aria-label": bare ? label : undefined } }}
      sx={{ width }}
    >
      {options.map((option) => (
        <MenuItem key={option.value} value={option.value}>
          {option.text}
        </MenuItem>
      ))}
    </TextField>
  );
}
