import Box from "@mui/material/Box";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, taken } from "../../api/client";
import type { FrameView, ReadingView } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { hex, KINDS, type Kind, seconds, told } from "./kinds";

export function useFrame(recording: string, line: string, index: number | null) {
  return useQuery({
    queryKey: ["frame", recording, line, index],
    enabled: index !== null,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    queryFn: async () => {
      const path = { recording_id: recording, index: index ?? 0 };
      return (
        await taken<{ frame: FrameView }>(api.GET("/api/recordings/{recording_id}/frames/{index}", { params: { path, query: { line } } }))
      ).frame;
    },
  });
}

/** One frame: its bytes, and what each bit of them means. A field that is pointed at shows its bits. */
export function FrameOpen({ frame, reading }: { frame: FrameView; reading: ReadingView }) {
  const [pointed, setPointed] = useState<number | null>(null);
  const field = pointed === null ? undefined : frame.fields[pointed];
  const kind = KINDS[frame.kind as Kind];
  const unwrapped = frame.inner.length !== frame.wire.length;
  return (
    <Box component="section" aria-label="Frame laid open" sx={{ display: "grid", gap: 1 }}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "baseline" }}>
        <b>
          Frame {frame.index + 1} of {reading.kinds.length}
        </b>
        <span style={{ color: kind.ink === colours.hairline ? colours.softInk : kind.ink, fontWeight: 600 }}>{kind.name}</span>
        {frame.t !== null && <span className="mono">{seconds(frame.t, 0.01)}</span>}
        <span>{frame.why}</span>
        {frame.sensor && (
          <span>
            {frame.sensor.replaceAll("_", " ")}: {told(frame.sensor, frame.values)}
          </span>
        )}
      </Box>
      {frame.inner.length > 0 && (
        <Box sx={{ fontFamily: mono, fontSize: 13, display: "flex", flexWrap: "wrap", gap: "2px 3px" }} aria-label="Bytes of the frame">
          {frame.inner.map((value, place) => {
            const hit = field && field.bit < 8 * place + 8 && field.bit + field.bits > 8 * place;
            const wrong = !unwrapped && frame.wire[place]?.wrong;
            return (
              <Box
                component="span"
                // biome-ignore lint/suspicious/noArrayIndexKey: a byte is its place in the frame
                key={place}
                title={wrong ? `${wrong} error` : undefined}
                sx={{
                  px: "3px",
                  borderRadius: 0.5,
                  bgcolor: hit ? colours.copperWash : "transparent",
                  color: wrong ? colours.oxide : undefined,
                  textDecoration: wrong ? "underline wavy" : undefined,
                }}
              >
                {hex(value)}
              </Box>
            );
          })}
          {unwrapped && (
            <Box component="span" sx={{ color: "text.secondary", fontFamily: '"Figtree Variable", sans-serif', ml: 1 }}>
              {frame.wire.length} bytes on the wire; flags and stuffing are out
            </Box>
          )}
        </Box>
      )}
      {frame.fields.length > 0 ? (
        <Box
          component="table"
          aria-label="Fields of the frame"
          sx={{
            borderCollapse: "collapse",
            fontSize: 12.5,
            columnGap: 2,
            "& td, & th": { textAlign: "left", px: 1, py: 0.2, borderBottom: `1px solid ${colours.hairline}`, verticalAlign: "top" },
            "& th": { fontWeight: 500, color: "text.secondary" },
          }}
        >
          <thead>
            <tr>
              <th>field</th>
              <th>bits</th>
              <th>as sent</th>
              <th>means</th>
            </tr>
          </thead>
          <tbody>
            {frame.fields.map((each, place) => (
              <tr
                // biome-ignore lint/suspicious/noArrayIndexKey: a field is its place in the frame
                key={place}
                onPointerEnter={() => setPointed(place)}
                onPointerLeave={() => setPointed(null)}
                style={{ background: pointed === place ? colours.copperWash : undefined, color: each.ok ? undefined : colours.oxide }}
              >
                <td>{each.name}</td>
                <td className="mono">{bitsOf(each.bit, each.bits)}</td>
                <td className="mono">{each.bits >= 8 && each.bits % 8 === 0 ? hex(each.value, each.bits / 4) : each.value}</td>
                <td>{each.means}</td>
              </tr>
            ))}
          </tbody>
        </Box>
      ) : (
        <Channels frame={frame} />
      )}
    </Box>
  );
}

function bitsOf(bit: number, bits: number): string {
  const [first, last] = [Math.floor(bit / 8), Math.floor((bit + bits - 1) / 8)];
  if (bit % 8 === 0 && bits % 8 === 0) return first === last ? `byte ${first}` : `bytes ${first}–${last}`;
  if (bits === 1) return `byte ${first}.${bit % 8}`;
  return `byte ${first}.${bit % 8} … ${last}.${(bit + bits - 1) % 8}`;
}

/** Frames whose bytes are not known, as those of pulses: their channels. */
function Channels({ frame }: { frame: FrameView }) {
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1.5, fontFamily: mono, fontSize: 13 }}>
      {frame.channels.map((us, place) => (
        <span key={frame.numbers[place]}>
          CH{frame.numbers[place]} {us.toFixed(1)} us
        </span>
      ))}
    </Box>
  );
}
