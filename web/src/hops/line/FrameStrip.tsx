import { colours } from "../../look/colours";
import { ALL_KINDS, KINDS, type Kind } from "./kinds";
import { Legend } from "./Legend";

const W = 860;

/** The last second: a mark a frame. */
export function FrameStrip({ marks }: { marks: string }) {
  const list = [...marks] as Kind[];
  const counts: Partial<Record<Kind, number>> = {};
  for (const mark of list) counts[mark] = (counts[mark] ?? 0) + 1;
  const step = list.length > 0 ? Math.min(14, W / list.length) : 0;
  const said = ALL_KINDS.filter((kind) => counts[kind]).map((kind) => `${counts[kind]} ${KINDS[kind].name}`);
  return (
    <div>
      <svg
        viewBox={`0 0 ${W} 24`}
        width="100%"
        height={24}
        preserveAspectRatio="none"
        role="img"
        aria-label={said.join(", ") || "no frame"}
        style={{ display: "block", background: colours.bench }}
      >
        {list.map((mark, index) => {
          const kind = KINDS[mark];
          // biome-ignore lint/suspicious/noArrayIndexKey: a mark is its place in the second
          return <rect key={index} x={index * step} y={kind.top} width={Math.max(0.8, step * 0.72)} height={kind.height} fill={kind.ink} />;
        })}
      </svg>
      <Legend counts={counts} />
    </div>
  );
}
