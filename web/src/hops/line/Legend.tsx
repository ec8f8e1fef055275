import Box from "@mui/material/Box";
import { ALL_KINDS, KINDS, type Kind } from "./kinds";

/** How many frames of each kind there are, beside the mark that stands for them. */
export function Legend({ counts }: { counts: Partial<Record<Kind, number>> }) {
  const there = ALL_KINDS.filter((kind) => (counts[kind] ?? 0) > 0);
  return (
    <Box sx={{ display: "flex", gap: 2, fontSize: 12.5, mt: 0.5, color: "text.secondary" }}>
      {there.length === 0 && "no frame"}
      {there.map((kind) => (
        <span key={kind}>
          <span
            style={{
              display: "inline-block",
              width: 8,
              height: Math.max(4, KINDS[kind].height / 2),
              background: KINDS[kind].ink,
              marginRight: 5,
            }}
          />
          {counts[kind]} {KINDS[kind].name}
        </span>
      ))}
    </Box>
  );
}
