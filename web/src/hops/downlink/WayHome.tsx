import Box from "@mui/material/Box";
import type { DownlinkTold } from "../../api/types";
import { colours, mono } from "../../look/colours";

/** The chain running back, from whoever knows something to the pilot: what passes at each place, and where it stops. */
export function WayHome({ told }: { told: DownlinkTold }) {
  const places = [...told.places].reverse(); // the pilot stands on the left, as on the chain
  const stopped = places.findLastIndex((place) => place.why !== "" && place.place !== "devices");
  return (
    <Box component="section" aria-label="The way home">
      <Box
        component="ol"
        sx={{
          listStyle: "none",
          m: 0,
          p: 0,
          display: "grid",
          gridTemplateColumns: { xs: "minmax(0, 1fr)", md: `repeat(${places.length}, minmax(0, 1fr))` },
          rowGap: 1,
          bgcolor: "background.paper",
          border: 1,
          borderColor: "divider",
          borderRadius: 1.5,
          px: 1,
          py: 1.25,
        }}
      >
        {places.map((place, index) => {
          const silent = index < stopped || (index === stopped && stopped >= 0);
          return (
            <Box component="li" key={place.place} sx={{ minWidth: 0, textAlign: "center", position: "relative", "& > div": { px: 0.5 } }}>
              <svg
                viewBox="0 0 100 26"
                preserveAspectRatio="none"
                aria-hidden="true"
                style={{ width: "100%", height: 26, display: "block", overflow: "visible" }}
              >
                <line
                  x1={index === 0 ? 50 : 0}
                  x2={index === places.length - 1 ? 50 : 100}
                  y1={13}
                  y2={13}
                  stroke={silent ? colours.tarnish : colours.verdigris}
                  strokeWidth={2}
                  strokeDasharray={silent ? "2 4" : undefined}
                  vectorEffect="non-scaling-stroke"
                />
              </svg>
              <Box
                aria-hidden="true"
                sx={{
                  position: "absolute",
                  top: 3,
                  left: "50%",
                  transform: "translateX(-50%)",
                  width: 20,
                  height: 20,
                  borderRadius: "50%",
                  display: "grid",
                  placeItems: "center",
                  fontSize: 12,
                  fontWeight: 700,
                  bgcolor: place.why ? colours.oxide : silent ? "background.paper" : colours.verdigris,
                  color: colours.raised,
                  border: silent && !place.why ? `2px solid ${colours.tarnish}` : 0,
                }}
              >
                {place.why ? "×" : silent ? "" : "‹"}
              </Box>
              <Box sx={{ fontSize: 13, fontWeight: 600, mt: 0.25, overflowWrap: "anywhere" }}>{place.name}</Box>
              <Box sx={{ fontFamily: mono, fontSize: 12, color: place.why ? colours.oxide : "text.secondary" }}>{place.passes}</Box>
              {place.why && <Box sx={{ fontSize: 12.5, color: colours.oxide, mt: 0.25 }}>{place.why}</Box>}
            </Box>
          );
        })}
      </Box>
      {told.turns && (
        <Box sx={{ fontSize: 13, color: "text.secondary", mt: 0.75 }}>
          {told.turns} {room(told)}
        </Box>
      )}
    </Box>
  );
}

/** What the way has room for, in a sentence. */
function room({ room, protocol }: DownlinkTold): string {
  if (!room) return "";
  const air =
    room.taken > 1
      ? `The air has room for ${(100 / room.taken).toFixed(0)} % of what is told: ${room.bytes_per_s} bytes a second.`
      : `The air has ${room.bytes_per_s} bytes a second, of which ${(100 * room.taken).toFixed(0)} % are asked for.`;
  return room.ids && room.asked_s
    ? `${room.ids} values take turns on one id, which is asked every ${room.asked_s.toFixed(room.asked_s < 0.1 ? 3 : 2)} s. ${air}`
    : `${protocol === "IBUS telemetry" && room.asked_s ? `Each address is asked every ${room.asked_s.toFixed(2)} s. ` : ""}${air}`;
}
