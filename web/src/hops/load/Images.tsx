import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { JudgedImage, LoadView } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { onArrow } from "../../look/onArrow";
import { Panel } from "../../look/Panel";
import { VERDICT_INK } from "./Ends";
import { sized } from "./useLoad";

const MAY = {
  yes: { word: "may go on", ink: colours.verdigris },
  "yes, but": { word: "allowed, with a warning", ink: colours.copperText },
  no: { word: "may not", ink: colours.oxide },
} as const;

/** The images for one device: may each go on, and what would the link be? */
export function Images({
  view,
  device,
  chosen,
  onChoose,
  every,
  onEvery,
}: {
  view: LoadView | undefined;
  device: string;
  chosen: string | null;
  onChoose: (image: JudgedImage) => void;
  every: boolean;
  onEvery: (every: boolean) => void;
}) {
  const images = view?.images ?? [];
  return (
    <Panel
      title={`Images for the ${device}`}
      aside={
        view && (view.others > 0 || every) ? (
          <Button variant="text" onClick={() => onEvery(!every)} sx={{ p: 0, fontSize: 12.5 }}>
            {every ? "Only those for its target" : `Show ${view.others} for other targets`}
          </Button>
        ) : null
      }
    >
      {!view && <Box sx={{ color: "text.secondary" }}>Judging the images on the shelf…</Box>}
      {view && images.length === 0 && (
        <Box sx={{ color: "text.secondary" }}>The shelf has no image for it. Put one there with “Shelf”, at the top.</Box>
      )}
      {images.length > 0 && <Heads />}
      <Box role="radiogroup" aria-label={`Images for the ${device}`} onKeyDown={onArrow} sx={{ maxHeight: 300, overflow: "auto", mx: -1 }}>
        {images.map((each, index) => (
          <ImageLine
            key={each.image.id}
            each={each}
            chosen={each.image.id === chosen}
            stop={each.image.id === chosen || (index === 0 && !images.some((other) => other.image.id === chosen))}
            onChoose={() => onChoose(each)}
          />
        ))}
      </Box>
    </Panel>
  );
}

const COLUMNS = {
  display: "grid",
  gridTemplateColumns: "64px minmax(0, 1fr) 92px 142px",
  columnGap: 1.25,
  alignItems: "baseline",
} as const;

/** What stands under each other in the list. */
function Heads() {
  return (
    <Box aria-hidden="true" sx={{ ...COLUMNS, px: 1, pl: 0.5, fontSize: 12, color: "text.secondary" }}>
      <span>version</span>
      <span>speaks, size</span>
      <span>the ends then</span>
      <span>may it go on?</span>
    </Box>
  );
}

/** `stop`: whether the Tab key comes here; the arrow keys go on from there. */
function ImageLine({ each, chosen, stop, onChoose }: { each: JudgedImage; chosen: boolean; stop: boolean; onChoose: () => void }) {
  const { image, judged } = each;
  const may = MAY[judged.may];
  const first = judged.findings[0];
  return (
    <Box
      component="button"
      type="button"
      role="radio"
      aria-checked={chosen}
      tabIndex={stop ? 0 : -1}
      aria-label={image.name}
      onClick={onChoose}
      sx={{
        font: "inherit",
        textAlign: "left",
        color: "inherit",
        cursor: "pointer",
        width: "100%",
        border: 0,
        borderLeft: `4px solid ${chosen ? colours.copper : "transparent"}`,
        borderBottom: `1px solid ${colours.hairline}`,
        bgcolor: chosen ? colours.bench : "transparent",
        px: 1,
        py: 0.6,
        ...COLUMNS,
        "&:hover": { bgcolor: colours.bench },
      }}
    >
      <Box component="span" sx={{ fontFamily: mono, fontSize: 14.5, fontWeight: 500 }}>
        {image.facts.version}
      </Box>
      <Box component="span" sx={{ fontSize: 13, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
        {[image.facts.family, image.facts.band, image.facts.region].filter(Boolean).join(" · ") || image.facts.target}
        <Box component="span" sx={{ color: "text.secondary" }}>
          {" "}
          {sized(image.size)}
        </Box>
      </Box>
      <Box component="span" sx={{ fontSize: 12.5, color: judged.link ? VERDICT_INK[judged.link.verdict] : "text.secondary" }}>
        {judged.link ? judged.link.verdict : ""}
      </Box>
      <Box component="span" sx={{ fontSize: 12.5, fontWeight: 600, color: judged.same ? colours.slate : may.ink }}>
        {judged.same ? "runs now" : may.word}
      </Box>
      {first && (chosen || judged.may === "no") && (
        <Box component="span" sx={{ gridColumn: "2 / -1", fontSize: 12.5, color: "text.secondary" }}>
          {chosen ? judged.findings.map((finding) => `${finding.what} ${finding.why}`).join(" ") : first.what}
        </Box>
      )}
    </Box>
  );
}
