import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type KeyboardEvent, type PointerEvent, type ReactNode, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { Craft, CraftDocument, DownlinkTold, Mend } from "../../api/types";
import type { HopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { columns as beside } from "../../look/phone";
import { SayChoice, SayNumber } from "../../look/Sentence";

type Told = NonNullable<DownlinkTold["picture"]>;
type Placed = NonNullable<NonNullable<CraftDocument["settings"]["screen"]>["elements"]>[number];
type Spot = { index: number; column: number; row: number };

const SAVED_AFTER_MS = 600;
const SIGHT = { ahead: "it covers the view ahead", glance: "it is seen at a glance", edge: "it has to be looked for" };

/** On the picture: first what eyes must tell, then the picture that follows from it, and what of it would not be seen. */
export function PicturePanel({
  told,
  none,
  craft,
  edit,
  take,
  mend,
  current,
}: {
  told: Told | null;
  none: string;
  craft: Craft;
  edit: HopProps["edit"];
  take: (mend: Mend) => void;
  mend: (each: Mend) => ReactNode;
  current: boolean;
}) {
  const builds = craft.may.includes("build");
  const elements = craft.document.settings.screen?.elements ?? [];
  const [now, setNow] = useState(false);
  const [chosen, setChosen] = useState<number | null>(null);
  if (!told)
    return (
      <Panel title="On the picture">
        <Box sx={{ fontSize: 13 }}>
          There is no picture to write on: {none}.{" "}
          <Link to={`/crafts/${craft.id}/kit`} style={{ color: colours.verdigris, fontWeight: 600 }}>
            Fit one in the Kit
          </Link>
        </Box>
      </Panel>
    );
  const set = (change: (elements: Placed[]) => Placed[]) =>
    edit((document) => {
      document.settings.screen = { elements: change(document.settings.screen?.elements ?? []) };
      return document;
    });
  const move = ({ index, column, row }: Spot) => set((all) => all.map((each, at) => (at === index ? { ...each, column, row } : each)));
  const given = told.answers.filter((each) => each.given);
  const lacking = told.answers.filter((each) => !each.given && !each.toggle);
  const faults = told.elements.filter((each) => each.fault && elements[each.index]?.element === each.element);
  const picked = chosen === null ? undefined : elements[chosen];
  const upwards = (picked?.line ?? null) === null ? (told.elements[chosen ?? -1]?.rises ?? false) : (picked?.above ?? false);
  return (
    <Panel
      title="On the picture"
      aside={
        told.arrange && (
          <Button variant="outlined" disabled={!builds || !current} sx={{ py: 0 }} onClick={() => told.arrange && take(told.arrange)}>
            Arrange for me
          </Button>
        )
      }
    >
      <Box sx={{ display: "grid", gridTemplateColumns: beside("minmax(0, 1fr) 456px"), gap: 2.5 }}>
        <div>
          <Box component="h3" id="eyes-must" sx={{ m: 0, mb: 0.5, fontSize: 12.5, color: "text.secondary", fontWeight: 600 }}>
            {given.length > 0 ? "Your eyes are told" : "What must your eyes be told in flight?"}
          </Box>
          <Box role="group" aria-labelledby="eyes-must" sx={{ display: "flex", flexWrap: "wrap", gap: 0.5, mb: 1.25 }}>
            {told.answers
              .filter((each) => each.toggle)
              .map((each) => (
                <Button
                  key={each.says}
                  variant="text"
                  aria-pressed={each.given}
                  title={each.falls_short || undefined}
                  disabled={!builds || !current}
                  onClick={() => each.toggle && take(each.toggle)}
                  sx={{
                    py: 0,
                    px: 1,
                    fontSize: 12.5,
                    border: 1,
                    borderStyle: each.given ? "solid" : "dashed",
                    borderColor: tone(each) ?? "divider",
                    bgcolor: !each.given ? "transparent" : each.falls_short ? colours.copperWash : colours.verdigrisWash,
                    color: tone(each) ?? "text.primary",
                  }}
                >
                  {each.says}
                </Button>
              ))}
          </Box>
          <Box sx={{ fontSize: 13, lineHeight: "26px" }}>
            {told.formats.length > 1 ? (
              <>
                {capital(told.device)} sends{" "}
                <SayChoice
                  label={`Format of ${told.device}`}
                  value={told.screen.format}
                  choices={told.formats.map((each) => ({
                    value: each.format,
                    text: `${each.format}, ${each.columns} by ${each.rows} characters`,
                  }))}
                  onSay={(format) =>
                    edit((document) => {
                      const device = document.kit.devices?.[told.device_index];
                      if (device) device.format = format;
                      return document;
                    })
                  }
                />
                .
              </>
            ) : (
              `${capital(told.device)} shows ${told.screen.columns} by ${told.screen.rows} characters.`
            )}
          </Box>
          {picked && chosen !== null && (
            <Box sx={{ fontSize: 13, lineHeight: "26px", mt: 0.5 }}>
              {capital(picked.element)} stands in row {picked.row}, column {picked.column}, and is marked {upwards ? "above" : "under"}{" "}
              <SayNumber
                label={`Line of ${picked.element}`}
                value={picked.line ?? null}
                unit={told.elements[chosen]?.unit ?? ""}
                min={-1000}
                max={100000}
                empty="no value"
                onSay={(line) => set((all) => all.map((each, at) => (at === chosen ? { ...each, line, above: upwards } : each)))}
              />
              . {told.elements[chosen] && `There ${SIGHT[told.elements[chosen].zone]}.`} {told.elements[chosen]?.because}
            </Box>
          )}
          {told.stops.map((each) => (
            <Box key={each.says} sx={{ fontSize: 12.5, color: colours.oxide, mt: 0.5 }}>
              Nothing of it is seen: {each.says}.{" "}
              {each.mends?.map((one) => (
                <span key={one.text}>{mend(one)}</span>
              ))}
            </Box>
          ))}
          {told.answers
            .filter((each) => each.given && each.falls_short && told.stops.length === 0)
            .map((each) => (
              <Box key={each.says} sx={{ fontSize: 12.5, color: colours.copperText, mt: 0.5 }}>
                {capital(each.says)}: {each.falls_short}.
              </Box>
            ))}
          {faults.map((each) => (
            <Box key={each.index} sx={{ fontSize: 12.5, color: each.elsewhere ? colours.copperText : colours.oxide, mt: 0.5 }}>
              {capital(each.element)}: {each.fault}.
            </Box>
          ))}
          {lacking.length > 0 && (
            <Box component="details" sx={{ fontSize: 12.5, color: "text.secondary", mt: 0.75 }}>
              <summary style={{ cursor: "pointer" }}>What this craft cannot show</summary>
              {lacking.map((each) => (
                <div key={each.says}>
                  {capital(each.says)}: {each.cannot}.
                </div>
              ))}
            </Box>
          )}
        </div>
        <div>
          <Screen
            told={told}
            elements={elements}
            now={now}
            builds={builds}
            chosen={chosen}
            choose={setChosen}
            move={move}
            remove={(index) => set((all) => all.filter((_, at) => at !== index))}
          />
          <Box sx={{ display: "flex", alignItems: "center", gap: 1, mt: 0.75, fontSize: 12.5, color: "text.secondary" }}>
            <Button
              variant="text"
              aria-pressed={now}
              sx={{ py: 0, px: 0.75, fontSize: 12.5, whiteSpace: "nowrap", flex: "none" }}
              onClick={() => setNow(!now)}
            >
              {now ? "Back to arranging" : "What the pilot sees now"}
            </Button>
            <span>
              {now
                ? told.why === "" && "as it leaves the craft"
                : !told.on_board
                  ? "not on the board yet: write it"
                  : elements.length > 0 && "drag a value, or move it with the arrow keys; Delete takes it off"}
            </span>
          </Box>
        </div>
      </Box>
    </Panel>
  );
}

/** The picture itself, in its own shape: each value is moved by dragging it, or with the arrow keys. */
function Screen({
  told,
  elements,
  now,
  builds,
  chosen,
  choose,
  move,
  remove,
}: {
  told: Told;
  elements: Placed[];
  now: boolean;
  builds: boolean;
  chosen: number | null;
  choose: (index: number | null) => void;
  move: (spot: Spot) => void;
  remove: (index: number) => void;
}) {
  const { columns, rows } = told.screen;
  const [moving, setMoving] = useState<Spot | null>(null);
  const field = useRef<HTMLDivElement>(null);
  const later = useRef<number>(undefined);
  const grip = useRef<{ index: number; dx: number; dy: number } | null>(null);
  const save = (spot: Spot | null) => {
    window.clearTimeout(later.current);
    later.current = undefined;
    if (spot) move(spot);
    setMoving(null);
  };
  useEffect(() => () => window.clearTimeout(later.current), []);
  const within = (spot: Spot, width: number): Spot => ({
    index: spot.index,
    column: Math.max(1, Math.min(columns - width + 1, spot.column)),
    row: Math.max(1, Math.min(rows, spot.row)),
  });
  const shape = told.kind === "analog" ? 3 / 4 : 9 / 16;
  const short = told.formats.filter((each) => each.rows < rows);
  const at = (each: Placed, index: number) => (moving?.index === index ? moving : { index, column: each.column, row: each.row });
  const keyed = (event: KeyboardEvent, spot: Spot, width: number) => {
    if (!builds) return;
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      remove(spot.index);
      choose(null);
      return;
    }
    const [dx, dy] = ARROWS[event.key] ?? [0, 0];
    if (dx === 0 && dy === 0) return;
    event.preventDefault();
    const next = within({ ...spot, column: spot.column + dx, row: spot.row + dy }, width);
    setMoving(next);
    window.clearTimeout(later.current);
    later.current = window.setTimeout(() => save(next), SAVED_AFTER_MS);
  };
  const dragged = (event: PointerEvent, width: number) => {
    const box = field.current?.getBoundingClientRect();
    if (!grip.current || !box) return null;
    return within(
      {
        index: grip.current.index,
        column: Math.round(((event.clientX - grip.current.dx - box.left) / box.width) * columns) + 1,
        row: Math.round(((event.clientY - grip.current.dy - box.top) / box.height) * rows) + 1,
      },
      width,
    );
  };
  return (
    <Box
      ref={field}
      role="group"
      aria-label={now ? "What the pilot sees now" : "The picture, to be arranged"}
      sx={{
        position: "relative",
        mt: 0.5,
        aspectRatio: `${1 / shape}`,
        bgcolor: now ? colours.raised : colours.paper,
        color: colours.ink,
        border: 1,
        borderColor: "divider",
        borderRadius: 1,
        overflow: "hidden",
        containerType: "inline-size",
        fontFamily: mono,
        fontWeight: 500,
        touchAction: "none",
        userSelect: "none",
      }}
    >
      {now ? (
        <Box sx={{ fontSize: `calc(86cqw / ${columns} / 0.6)`, letterSpacing: "0.0977em", whiteSpace: "pre" }}>
          {told.why && <Box sx={{ p: 2, whiteSpace: "normal", fontSize: 13 }}>No picture: {told.why}.</Box>}
          {!told.why && told.rows.every((row) => row.trim() === "") && (
            <Box sx={{ p: 2, whiteSpace: "normal", fontSize: 13, color: colours.softInk }}>
              A picture without text: the board writes nothing on it.
            </Box>
          )}
          {!told.why && <Box sx={{ lineHeight: `calc(100cqw * ${shape} / ${rows})` }}>{told.rows.join("\n")}</Box>}
        </Box>
      ) : (
        <>
          <Sight ahead={told.sight[0] ?? 0} glance={told.sight[1] ?? 1} />
          {elements.length === 0 && (
            <Box sx={{ p: 2, fontSize: 13, color: colours.softInk }}>The picture follows from what your eyes must be told.</Box>
          )}
          {short.map((each) => (
            <Box
              key={each.format}
              sx={{
                position: "absolute",
                left: 0,
                right: 0,
                top: `${(100 * each.rows) / rows}%`,
                bottom: 0,
                bgcolor: colours.copperWash,
                borderTop: `1px dashed ${colours.copper}`,
                fontSize: 11,
                color: colours.copperText,
                textAlign: "center",
                lineHeight: "14px",
              }}
            >
              {each.format} ends here
            </Box>
          ))}
          {elements.map((each, index) => {
            const facts = told.elements.find((one) => one.index === index && one.element === each.element);
            const spot = at(each, index);
            const width = facts?.width ?? 6;
            const off = spot.row > rows || spot.column + width - 1 > columns;
            const shown = off ? { column: Math.min(spot.column, columns - width + 1), row: Math.min(spot.row, rows) } : spot;
            const text = facts?.text ?? each.element;
            return (
              <Box
                component="button"
                type="button"
                key={`${each.element} ${elements.slice(0, index).filter((other) => other.element === each.element).length}`}
                aria-label={`${each.element}, row ${spot.row}, column ${spot.column}${facts?.fault ? `: ${facts.fault}` : ""}`}
                title={facts?.fault || each.element}
                onFocus={() => choose(index)}
                onBlur={() => later.current !== undefined && save(moving)}
                onKeyDown={(event: KeyboardEvent) => keyed(event, spot, width)}
                onPointerDown={(event: PointerEvent<HTMLButtonElement>) => {
                  if (!builds) return;
                  const box = event.currentTarget.getBoundingClientRect();
                  event.currentTarget.setPointerCapture(event.pointerId);
                  grip.current = { index, dx: event.clientX - box.left, dy: event.clientY - box.top };
                }}
                onPointerMove={(event: PointerEvent) => {
                  const next = grip.current?.index === index ? dragged(event, width) : null;
                  if (next && (next.column !== spot.column || next.row !== spot.row)) setMoving(next);
                }}
                onPointerUp={() => {
                  grip.current = null;
                  if (moving?.index === index) save(moving);
                }}
                onPointerCancel={() => {
                  grip.current = null;
                  setMoving(null);
                }}
                sx={{
                  position: "absolute",
                  left: `${(100 * (shown.column - 1)) / columns}%`,
                  top: `${(100 * (shown.row - 1)) / rows}%`,
                  width: `${(100 * width) / columns}%`,
                  height: `${100 / rows}%`,
                  p: 0,
                  m: 0,
                  font: "inherit",
                  fontSize: `calc(86cqw / ${columns} / 0.6)`,
                  letterSpacing: "0.0977em",
                  lineHeight: 1,
                  whiteSpace: "pre",
                  textAlign: "left",
                  color: facts?.over ? colours.oxide : !facts?.fault ? colours.ink : facts.elsewhere ? colours.copperText : colours.oxide,
                  background: chosen === index ? colours.slateWash : colours.raised,
                  border: 0,
                  boxShadow: `inset 0 0 0 1px ${chosen === index ? colours.slate : colours.hairline}`,
                  outlineOffset: -1,
                  textDecoration: off ? "line-through" : "none",
                  cursor: builds ? (moving?.index === index ? "grabbing" : "grab") : "default",
                  "&:focus-visible": { outline: `2px solid ${colours.verdigris}` },
                }}
              >
                {text}
              </Box>
            );
          })}
        </>
      )}
      <Box component="span" role="status" sx={{ position: "absolute", width: 1, height: 1, overflow: "hidden", clipPath: "inset(50%)" }}>
        {moving && `row ${moving.row}, column ${moving.column} of ${columns} by ${rows}`}
      </Box>
    </Box>
  );
}

const ARROWS: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
/** What is arranged and does not tell it all the same is not green. */
const tone = (each: Told["answers"][number]) => (!each.given ? undefined : each.falls_short ? colours.copperText : colours.verdigris);

/** Zones of sight: what is flown into stays free, around it a value is seen at a glance, and in the corners it has to be looked for. */
function Sight({ ahead, glance }: { ahead: number; glance: number }) {
  const word = {
    position: "absolute",
    left: 0,
    right: 0,
    textAlign: "center",
    fontSize: 11,
    color: colours.softInk,
    fontFamily: "Figtree Variable",
  } as const;
  return (
    <>
      <svg
        viewBox="-1 -1 2 2"
        preserveAspectRatio="none"
        aria-hidden="true"
        style={{ position: "absolute", inset: 0, width: "100%", height: "100%" }}
      >
        <ellipse rx={glance} ry={glance} fill={colours.verdigrisWash} />
        <ellipse
          rx={ahead}
          ry={ahead}
          fill={colours.raised}
          stroke={colours.tarnish}
          strokeDasharray="4 4"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      <Box sx={{ ...word, top: "47%" }}>view ahead, stays free</Box>
      <Box sx={{ ...word, top: `${50 - 46 * glance}%` }}>seen at a glance</Box>
    </>
  );
}
