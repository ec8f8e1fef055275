import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { Told } from "../../api/types";
import { sendHands } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";

type LostTold = NonNullable<Told["lost_link"]>;
const FACES = ["nose", "right of the nose", "right side", "right of the tail", "tail", "left of the tail", "left side", "left of the nose"];
const STEP = 360 / FACES.length;

/** The headings of a range walk: which side of the craft faces the transmitter, and the lowest link quality there. */
export function WalkRound({ told }: { told: LostTold }) {
  const walk = told.walk;
  if (!walk) return null;
  const next = walk.lq.indexOf(null);
  return (
    <Box role="group" aria-label="Headings" sx={{ display: "grid", gridTemplateColumns: "repeat(4, minmax(0, 1fr))", gap: 0.5, mt: 0.75 }}>
      {FACES.map((face, index) => {
        const lq = walk.lq[index] ?? null;
        const below = lq !== null && lq < told.walk_line;
        return (
          <Button
            key={face}
            variant="outlined"
            onClick={() => sendHands({ heading_deg: index * STEP })}
            sx={{
              display: "block",
              lineHeight: 1.25,
              py: 0.4,
              px: 0.5,
              fontSize: 12,
              minWidth: 0,
              borderColor: index === next ? colours.copper : undefined,
              color: below ? colours.oxide : colours.ink,
            }}
          >
            {face}
            <Box component="span" sx={{ display: "block", fontFamily: mono, fontSize: 12 }}>
              {lq === null ? ((walk.held_s[index] ?? 0) > 0 ? "hold it" : "–") : `${lq} %`}
            </Box>
          </Button>
        );
      })}
      <Box sx={{ gridColumn: "1 / -1", fontSize: 12.5 }}>
        Face each side to the transmitter for a moment; all must stay above {told.walk_line} %.
      </Box>
    </Box>
  );
}
