import Box from "@mui/material/Box";
import { memo } from "react";
import { useBenchStore, useSteady } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";

const AXES = [
  { source: "aileron", word: "roll", high: "right is high", how: "right, once" },
  { source: "elevator", word: "pitch", high: "forward is high", how: "forward, twice" },
  { source: "throttle", word: "throttle", high: "up is high", how: "up from low, and leave it" },
  { source: "rudder", word: "yaw", high: "right is high", how: "right, three times" },
] as const;

/** Which channel follows which stick, as it was seen. */
export const FinderCard = memo(function FinderCard({ map }: { map: string }) {
  const found = useBenchStore((state) => state.report?.told.sticks?.measured.found);
  const sent = useBenchStore((state) => state.report?.told.sticks?.sent_order);
  const moving = useSteady((state) => state.live?.moving ?? []);
  const axes = found?.axes ?? {};
  const seen = AXES.filter(({ source }) => axes[source]).length;
  return (
    <Box
      component="section"
      aria-label="Where each stick arrives"
      sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.25, px: 1.5, py: 1 }}
    >
      <Box component="h3" sx={{ m: 0, mb: 0.5, fontSize: 12.5, fontWeight: 600, color: "text.secondary" }}>
        Where each stick arrives
      </Box>
      {AXES.map(({ source, word, high, how }) => {
        const each = axes[source];
        const wrong = each && each.direction < 0;
        return (
          <Box
            key={source}
            sx={{ display: "grid", gridTemplateColumns: "62px 46px 1fr", alignItems: "baseline", py: 0.25, fontSize: 13.5 }}
          >
            <b>{word}</b>
            <Box component="span" sx={{ fontFamily: mono }}>
              {each ? `CH${each.channel}` : "–"}
            </Box>
            {each ? (
              <Box component="span" sx={{ color: wrong ? colours.oxide : colours.verdigris, fontSize: 12.5 }}>
                {wrong ? "the wrong way round" : high}
                {each.coupled.map((other) => (
                  <Box key={other.channel} component="span" sx={{ color: colours.copperText, display: "block" }}>
                    moves CH{other.channel} too, by {Math.abs(other.percent).toFixed(0)} %
                  </Box>
                ))}
              </Box>
            ) : (
              <Box component="span" sx={{ color: "text.secondary", fontSize: 12.5 }}>
                {how}
              </Box>
            )}
          </Box>
        );
      })}
      <Box
        role="status"
        sx={{
          mt: 0.5,
          pt: 0.75,
          borderTop: 1,
          borderColor: "divider",
          fontSize: 12.5,
          minHeight: 38,
          color: found?.trouble ? colours.copperText : "text.secondary",
        }}
      >
        {moving.length > 0
          ? `${moving.map((channel) => `CH${channel}`).join(", ")} ${moving.length > 1 ? "move" : "moves"}…`
          : found?.says || "Move one stick at a time, in any order, and let go."}
        {seen === 4 && moving.length === 0 && (
          <Box sx={{ color: sent === map ? colours.verdigris : colours.oxide }}>
            {sent === map ? `Order ${sent}, as the board expects.` : `Order ${sent}; the board expects ${map}.`}
          </Box>
        )}
      </Box>
    </Box>
  );
});
