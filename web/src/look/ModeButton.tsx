import IconButton from "@mui/material/IconButton";
import { colours } from "./colours";
import { CHOICES, type Choice, chooseMode, useMode } from "./mode";

const WORDS: Record<Choice, string> = { system: "as the system has it", light: "light", dark: "dark" };

/** Light, dark, or as the system has it: one after the other. */
export function ModeButton() {
  const choice = useMode((state) => state.choice);
  const next = CHOICES[(CHOICES.indexOf(choice) + 1) % CHOICES.length] ?? "system";
  return (
    <IconButton
      size="small"
      aria-label={`Theme: ${WORDS[choice]}. Change to ${WORDS[next]}`}
      title={`Theme: ${WORDS[choice]}`}
      onClick={() => chooseMode(next)}
      sx={{ p: 0.5 }}
    >
      <svg width={18} height={18} viewBox="0 0 18 18" aria-hidden="true">
        <circle cx={9} cy={9} r={7} fill={choice === "dark" ? colours.ink : "none"} stroke={colours.ink} strokeWidth={1.5} />
        {choice === "system" && <path d="M9 2a7 7 0 0 1 0 14z" fill={colours.ink} />}
      </svg>
    </IconButton>
  );
}
