import Box from "@mui/material/Box";
import { colours } from "../../look/colours";

const W = 860;
const KINDS = {
  g: { name: "good", ink: colours.verdigris, top: 2, height: 20 },
  l: { name: "frame lost", ink: colours.copper, top: 10, height: 12 },
  f: { name: "failsafe", ink: colours.slate, top: 16, height: 6 },
  b: { name: "damaged", ink: colours.oxide, top: 0, height: 24 },
} as const;
type Mark = keyof typeof KINDS;

/** A mark a frame. The height tells the kind, the colour only helps. */
export function FrameStrip({ marks }: { marks: string }) {
  const list = [...marks] as Mark[];
  const count = (kind: Mark) => list.filter((mark) => mark === kind).length;
  const step = list.length > 0 ? Math.min(14, W / list.length) : 0;
  const said = (Object.keys(KINDS) as Mark[])
    .filter((kind) => count(kind) > 0)
    .map((kind) => ({ kind, text: `${count(kind)} ${KINDS[kind].name}` }));
  return (
    <div>
      <svg
        viewBox={`0 0 ${W} 24`}
        width="100%"
        height={24}
        preserveAspectRatio="none"
        role="img"
        aria-label={said.map((each) => each.text).join(", ") || "no frame"}
        style={{ display: "block", background: colours.bench }}
      >
        {list.map((mark, index) => {
          const kind = KINDS[mark];
          // biome-ignore lint/suspicious/noArrayIndexKey: a mark is its place in the second
          return <rect key={index} x={index * step} y={kind.top} width={Math.max(0.8, step * 0.72)} height={kind.height} fill={kind.ink} />;
        })}
      </svg>
      <Box sx={{ display: "flex", gap: 2, fontSize: 12.5, mt: 0.5, color: "text.secondary" }}>
        {said.length === 0 && "no frame"}
        {said.map(({ kind, text }) => (
          <span key={kind}>
            <span
              style={{ display: "inline-block", width: 8, height: KINDS[kind].height / 2, background: KINDS[kind].ink, marginRight: 5 }}
            />
            {text}
          </span>
        ))}
      </Box>
    </div>
  );
}
