import Box from "@mui/material/Box";
import { memo } from "react";
import { useBenchStore } from "../../bench/useBench";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";

const INKS = [colours.slate, colours.copper, colours.verdigris, colours.tarnish, colours.ink];

/** How long a movement takes from the thumb to the board's loop, hop by hop. */
export const LatencyBar = memo(function LatencyBar() {
  const latency = useBenchStore((state) => state.report?.told.sticks?.latency);
  const measured = useBenchStore((state) => state.report?.told.sticks?.measured_latency);
  if (!latency) return null;
  return (
    <Panel title="From thumb to loop" aside={`${latency.typical_ms.toFixed(1)} ms typically, ${latency.worst_ms.toFixed(1)} ms at worst`}>
      {(["typical_ms", "worst_ms"] as const).map((which) => (
        <Box key={which} sx={{ display: "grid", gridTemplateColumns: "58px 1fr", alignItems: "center", mb: 0.5, fontSize: 12.5 }}>
          <span>{which === "typical_ms" ? "typical" : "worst"}</span>
          <Box
            sx={{
              display: "flex",
              height: 20,
              borderRadius: 0.5,
              overflow: "hidden",
              width: `${(latency[which] / latency.worst_ms) * 100}%`,
            }}
          >
            {latency.parts.map((part, index) => (
              <Box
                key={part.name}
                title={`${part.name}: ${part[which].toFixed(2)} ms. ${part.why}`}
                sx={{
                  width: `${(part[which] / latency[which]) * 100}%`,
                  bgcolor: INKS[index],
                  borderRight: `1px solid ${colours.raised}`,
                  opacity: 0.85,
                }}
              />
            ))}
          </Box>
        </Box>
      ))}
      <Box role="note" sx={{ fontSize: 12.5, my: 0.5 }}>
        {measured
          ? `Measured on the bench: ${measured.typical_ms.toFixed(1)} ms in the middle of ${measured.count} movements, ${measured.worst_ms.toFixed(1)} ms the longest.`
          : "Not measured yet: let a stick rest, then move it at once."}
      </Box>
      <Box component="ul" sx={{ m: 0, mt: 0.75, p: 0, listStyle: "none", display: "grid", gap: 0.3, fontSize: 12.5 }}>
        {latency.parts.map((part, index) => (
          <Box component="li" key={part.name} sx={{ display: "grid", gridTemplateColumns: "14px 78px 116px 1fr", alignItems: "baseline" }}>
            <Box component="span" sx={{ width: 9, height: 9, bgcolor: INKS[index], opacity: 0.85, borderRadius: 0.25 }} />
            <span>{part.name}</span>
            <Box component="span" sx={{ fontFamily: mono }}>
              {part.typical_ms.toFixed(1)} – {part.worst_ms.toFixed(1)} ms
            </Box>
            <Box component="span" sx={{ color: "text.secondary" }}>
              {part.why}
            </Box>
          </Box>
        ))}
      </Box>
    </Panel>
  );
});
