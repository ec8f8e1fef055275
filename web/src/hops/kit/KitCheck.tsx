import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";

/** A yes or no of the kit. */
export function KitCheck({ label, checked, onChange }: { label: string; checked: boolean; onChange: (checked: boolean) => void }) {
  return (
    <FormControlLabel
      control={<Checkbox size="small" checked={checked} onChange={(_, to) => onChange(to)} sx={{ py: 0.25 }} />}
      label={<span style={{ fontSize: 13.5 }}>{label}</span>}
    />
  );
}
