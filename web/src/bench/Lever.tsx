import Box from "@mui/material/Box";
import type { KeyboardEvent } from "react";
import { colours } from "../look/colours";
import { usePhone } from "../look/phone";
import { sendHands } from "./useBench";

const NAMES: Record<number, string[]> = { 2: ["low", "high"], 3: ["low", "mid", "high"] };

/** A switch of the transmitter; the highest position is drawn on top. */
export function Lever({ name, positions, at, digit }: { name: string; positions: number; at: number; digit: number }) {
  const phone = usePhone();
  const names = NAMES[positions] ?? [];
  const set = (to: number) => to >= 0 && to < positions && sendHands({ switches: { [name]: to } });
  const key = (event: KeyboardEvent) => {
    const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
    if (by) {
      event.preventDefault();
      set(at + by);
    }
  };
  return (
    <Box sx={{ display: "grid", justifyItems: "center", gap: 0.5 }}>
      <Box
        role="slider"
        tabIndex={0}
        aria-orientation="vertical"
        aria-label={`Switch ${name}`}
        aria-valuemin={0}
        aria-valuemax={positions - 1}
        aria-valuenow={at}
        aria-valuetext={names[at]}
        onKeyDown={key}
        sx={{ display: "grid", gap: "2px", p: "2px", borderRadius: 1, cursor: "pointer" }}
      >
        {names
          .map((place, index) => ({ place, index }))
          .reverse()
          .map(({ place, index }) => (
            <Box
              key={place}
              data-position={place}
              onClick={() => set(index)}
              sx={{
                width: 24,
                height: positions === 2 ? 19 : 12,
                "@media (pointer: coarse)": { width: 44, height: positions === 2 ? 38 : 25 },
                borderRadius: 0.75,
                border: 1,
                borderColor: index === at ? colours.slate : colours.hairline,
                bgcolor: index === at ? colours.slate : colours.raised,
                "&:hover": { borderColor: colours.slate },
              }}
            />
          ))}
      </Box>
      <Box sx={{ fontSize: 11.5 }}>
        {name}
        <Box component="span" sx={{ color: "text.secondary" }}>
          {!phone && ` ·${digit}`}
        </Box>
      </Box>
    </Box>
  );
}
