import Box from "@mui/material/Box";
import type { Wave } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { WidePicture } from "../../look/WidePicture";

const W = 860;
const HIGH = 16;
const LOW = 58;

/** The same levels read twice: as they were sent, and as the port samples them. */
export function WavePicture({ wave, caption, port }: { wave: Wave; caption: string; port: string | null }) {
  const x = (us: number) => (us / wave.span_us) * W;
  const points: string[] = [];
  let level = wave.level;
  points.push(`0,${level ? HIGH : LOW}`);
  for (const toggle of wave.toggles_us) {
    points.push(`${x(toggle).toFixed(1)},${level ? HIGH : LOW}`);
    level = level ? 0 : 1;
    points.push(`${x(toggle).toFixed(1)},${level ? HIGH : LOW}`);
  }
  points.push(`${W},${level ? HIGH : LOW}`);
  const bits = Math.round(wave.byte_us / wave.bit_us);
  return (
    <Box sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.25, px: 2, py: 1.25 }}>
      <WidePicture name="Waveform" least={620}>
        <svg
          viewBox={`0 0 ${W} ${wave.as_read.length > 0 ? 192 : 124}`}
          width="100%"
          role="img"
          aria-label={describe(wave, port)}
          style={{ display: "block", fontFamily: mono }}
        >
          {wave.as_sent.map((byte, index) => (
            <g key={byte.at_us}>
              {index % 2 === 0 && <rect x={x(byte.at_us)} y={6} width={x(wave.byte_us)} height={62} fill={colours.bench} />}
              {Array.from({ length: bits }, (_, bit) => (
                <line
                  // biome-ignore lint/suspicious/noArrayIndexKey: a bit is its place
                  key={bit}
                  x1={x(byte.at_us + bit * wave.bit_us)}
                  x2={x(byte.at_us + bit * wave.bit_us)}
                  y1={68}
                  y2={bit === 0 ? 77 : 72}
                  stroke={colours.tarnish}
                />
              ))}
            </g>
          ))}
          {wave.pulses?.map(([at = 0, width = 0]) => (
            <text
              key={at}
              x={x(at + width / 2)}
              y={LOW + 20}
              textAnchor="middle"
              fontSize={width / wave.span_us > 0.03 ? 13 : 0}
              fill={colours.verdigris}
            >
              {Math.round(width)}
            </text>
          ))}
          <polyline points={points.join(" ")} fill="none" stroke={colours.ink} strokeWidth={1.8} strokeLinejoin="round" />
          <Caption y={94}>{wave.pulses?.length ? "widths in us" : "as it was sent"}</Caption>
          {wave.as_sent.map((byte) => (
            <Byte key={byte.at_us} x={x(byte.at_us + wave.byte_us / 2)} y={114} value={byte.value} wrong={byte.wrong} />
          ))}
          {wave.as_read.length > 0 && <line x1={0} x2={W} y1={130} y2={130} stroke={colours.hairline} />}
          {!wave.pulses?.length && (
            <Caption y={wave.as_read.length > 0 ? 148 : 94} from={wave.as_read.length > 0 ? 0 : W}>
              {caption}
            </Caption>
          )}
          {wave.as_read.map((byte) => (
            <Byte key={byte.at_us} x={x(byte.at_us + wave.byte_us / 2)} y={170} value={byte.value} wrong={byte.wrong} />
          ))}
        </svg>
      </WidePicture>
    </Box>
  );
}

function Caption({ y, from = 0, children }: { y: number; from?: number; children: React.ReactNode }) {
  return (
    <text
      x={from}
      y={y}
      textAnchor={from > 0 ? "end" : "start"}
      fontSize={12}
      fill={colours.softInk}
      fontFamily='"Figtree Variable", sans-serif'
    >
      {children}
    </text>
  );
}

function Byte({ x, y, value, wrong }: { x: number; y: number; value: number; wrong: string }) {
  return (
    <>
      <text x={x} y={y} textAnchor="middle" fontSize={15} fontWeight={500} fill={wrong ? colours.oxide : colours.verdigris}>
        {hex(value)}
      </text>
      {wrong && (
        <text x={x} y={y + 14} textAnchor="middle" fontSize={10.5} fill={colours.oxide} fontFamily='"Figtree Variable", sans-serif'>
          {wrong}
        </text>
      )}
    </>
  );
}

function hex(value: number): string {
  return value.toString(16).toUpperCase().padStart(2, "0");
}

function describe(wave: Wave, port: string | null): string {
  const bytes = (list: Wave["as_sent"]) => list.map((byte) => hex(byte.value) + (byte.wrong ? ` (${byte.wrong})` : "")).join(" ");
  return `Waveform of the first bytes of a frame. Sent: ${bytes(wave.as_sent)}. Read by port ${port ?? "none"}: ${bytes(wave.as_read) || "nothing"}.`;
}
