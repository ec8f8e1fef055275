import Box from "@mui/material/Box";
import { useRef, useState } from "react";
import type { Told } from "../../api/types";
import { colours, mono } from "../../look/colours";
import { WidePicture } from "../../look/WidePicture";
import { flownOf } from "./flown";
import type { Place } from "./PlaceSentence";

type LostTold = NonNullable<Told["lost_link"]>;

const W = 860;
const H = 168;
const X0 = 70;
const X1 = 838;
const TOP = 14;
const FOOT = 138;

type Dragged = { what: "craft" | "obstacles" | "return"; x: number; up: number };

/** From the side: home on the left, where the link dies, what stands around, and the way between. What is dragged here is said in the sentences too. */
export function OverTheGround({
  told,
  returnHeight,
  say,
  setReturnHeight,
}: {
  told: LostTold;
  /** None where nothing returns. */
  returnHeight: number | null;
  say: (change: Partial<Place> | ((now: Place) => Partial<Place>)) => void;
  setReturnHeight: (metres: number) => void;
}) {
  const { place, prediction, loss } = told;
  const picture = useRef<SVGSVGElement>(null);
  const [dragged, drag] = useState<Dragged | null>(null);
  const way = prediction.path ?? [];
  const flown = flownOf(loss);
  const far = nice(Math.max(20, place.home_m ?? 0, ...way.map((each) => each.distance_m), ...flown.map((each) => each.away)) * 1.1);
  const high = nice(
    Math.max(
      10,
      place.height_m,
      returnHeight ?? 0,
      returnHeight === null ? 0 : told.clear_line_m,
      place.obstacle_height_m ?? 0,
      ...way.map((each) => each.height_m),
    ) * 1.15,
  );
  const x = (m: number) => X0 + (m / far) * (X1 - X0);
  const y = (m: number) => FOOT - (Math.max(0, m) / high) * (FOOT - TOP);
  const where = (event: React.PointerEvent) => {
    const box = picture.current?.getBoundingClientRect();
    if (!box) return { x: 0, up: 0 };
    const scale = W / box.width;
    const metres = (((event.clientX - box.left) * scale - X0) / (X1 - X0)) * far;
    const up = ((FOOT - (event.clientY - box.top) * scale) / (FOOT - TOP)) * high;
    return { x: Math.max(0, Math.round(metres)), up: Math.max(0, Math.round(up)) };
  };
  const handle = (what: Dragged["what"]) => ({
    "data-handle": what,
    style: { cursor: what === "craft" ? "move" : "ns-resize", touchAction: "none" },
    onPointerDown: (event: React.PointerEvent) => {
      (event.target as Element).setPointerCapture(event.pointerId);
      drag({ what, ...where(event) });
    },
    onPointerMove: (event: React.PointerEvent) => dragged?.what === what && drag({ what, ...where(event) }),
    onPointerUp: () => {
      if (dragged?.what === "craft") say({ home_m: dragged.x, height_m: dragged.up });
      if (dragged?.what === "obstacles") say({ obstacle_height_m: Math.min(300, dragged.up) });
      if (dragged?.what === "return") setReturnHeight(Math.max(5, Math.min(500, dragged.up)));
      drag(null);
    },
    onPointerCancel: () => drag(null),
  });
  const craft = dragged?.what === "craft" ? dragged : { x: place.home_m, up: place.height_m };
  const obstacles = dragged?.what === "obstacles" ? dragged.up : (place.obstacle_height_m ?? 0);
  const back = dragged?.what === "return" ? dragged.up : returnHeight;
  const path = (points: (readonly [number, number])[]) =>
    points.map(([m, up], index) => `${index ? "L" : "M"}${x(m).toFixed(1)} ${y(up).toFixed(1)}`).join("");
  const last = flown.at(-1);
  const begins = prediction.reacts_s ?? prediction.responds_s;
  const reacts = begins === null || begins === undefined ? undefined : way.find((each) => each.t >= begins - 1e-3);
  const step = (what: Dragged["what"]) => ({
    tabIndex: 0,
    role: "slider",
    "aria-valuenow": what === "craft" ? place.height_m : what === "obstacles" ? (place.obstacle_height_m ?? 0) : (returnHeight ?? 0),
    "aria-valuetext":
      what === "craft"
        ? `${place.home_m} m from home, ${place.height_m} m high`
        : `${what === "obstacles" ? (place.obstacle_height_m ?? 0) : (returnHeight ?? 0)} m`,
    "aria-label":
      what === "craft" ? "Where the link dies" : what === "obstacles" ? "Top of what stands around" : "Return height in the picture",
    onKeyDown: (event: React.KeyboardEvent) => {
      const by = event.shiftKey ? 10 : 1;
      const up = event.key === "ArrowUp" ? by : event.key === "ArrowDown" ? -by : 0;
      const along = event.key === "ArrowRight" ? by : event.key === "ArrowLeft" ? -by : 0;
      if (!up && !(along && what === "craft")) return;
      event.preventDefault();
      event.stopPropagation(); // or the bench's sticks would move as well
      if (what === "craft") say((now) => ({ home_m: Math.max(0, now.home_m + along), height_m: Math.max(0, now.height_m + up) }));
      else if (what === "obstacles") say((now) => ({ obstacle_height_m: Math.max(0, Math.min(300, (now.obstacle_height_m ?? 0) + up)) }));
      else setReturnHeight(Math.max(5, Math.min(500, (returnHeight ?? 0) + up)));
    },
  });
  return (
    <Box
      component="section"
      aria-label="Over the ground"
      sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1.25, px: 1.5, py: 1, mt: 1.5 }}
    >
      <Box sx={{ display: "flex", gap: 2, fontSize: 12.5, color: "text.secondary", flexWrap: "wrap" }}>
        <Box component="h3" sx={{ m: 0, fontSize: 12.5, fontWeight: 600 }}>
          Over the ground
        </Box>
        <span>
          drag the craft, {returnHeight !== null && "the return height, "}or the top of what stands around; an open ring: where the board
          reacts
        </span>
        {!told.place_said && (
          <Box component="span" sx={{ ml: "auto", color: colours.copperText }}>
            usual figures: put in where you fly
          </Box>
        )}
      </Box>
      <WidePicture name="Over the ground" least={640}>
        <svg
          ref={picture}
          viewBox={`0 0 ${W} ${H}`}
          width="100%"
          role="application"
          aria-label={`The link dies ${place.home_m} m from home, ${place.height_m} m high; around stand things of ${place.obstacle_height_m ?? 0} m.`}
          style={{ display: "block", fontFamily: '"Figtree Variable", sans-serif' }}
        >
          {obstacles > 0 && (
            <path d={thicket(X0, X1, y(obstacles), FOOT)} fill={colours.verdigrisWash} stroke={colours.verdigris} strokeOpacity={0.4} />
          )}
          <line x1={X0} x2={X1} y1={FOOT} y2={FOOT} stroke={colours.tarnish} strokeWidth={1.5} />
          {[0, 0.5, 1].map((share) => (
            <text key={share} x={x(far * share)} y={FOOT + 24} fontSize={11} fontFamily={mono} textAnchor="middle" fill={colours.softInk}>
              {Math.round(far * share)} m
            </text>
          ))}
          <path d={`M${X0 - 8} ${FOOT}v-9l8 -7l8 7v9z`} fill={colours.raised} stroke={colours.ink} strokeWidth={1.3} />
          <text x={X0 - 14} y={FOOT - 3} fontSize={11.5} textAnchor="end" fill={colours.softInk}>
            home
          </text>
          {returnHeight !== null && told.clear_line_m > 0 && (
            <>
              <line
                x1={X0}
                x2={X1}
                y1={y(told.clear_line_m)}
                y2={y(told.clear_line_m)}
                stroke={colours.oxide}
                strokeDasharray="2 4"
                strokeWidth={1.5}
              />
              <text x={X0 - 6} y={y(told.clear_line_m) + 4} fontSize={10.5} fontFamily={mono} textAnchor="end" fill={colours.oxide}>
                {told.clear_line_m} m
              </text>
            </>
          )}
          {place.obstacle_m !== null && place.obstacle_m !== undefined && place.home_m + place.obstacle_m <= far && (
            <line
              x1={x(place.home_m + place.obstacle_m)}
              x2={x(place.home_m + place.obstacle_m)}
              y1={FOOT}
              y2={FOOT - 26}
              stroke={colours.verdigris}
              strokeWidth={5}
            />
          )}
          {place.people_m !== null && place.people_m !== undefined && place.home_m + place.people_m <= far && (
            <g transform={`translate(${x(place.home_m + place.people_m)} ${FOOT})`} stroke={colours.oxide} strokeWidth={1.6} fill="none">
              <circle cx={0} cy={-15} r={3} />
              <path d="M0 -12v7M0 -5l-3.5 5M0 -5l3.5 5M-4 -9h8" />
            </g>
          )}
          <path
            d={path(way.map((each) => [each.distance_m, each.height_m]))}
            fill="none"
            stroke={colours.slate}
            strokeWidth={2}
            strokeDasharray="6 4"
          />
          <path d={path(flown.map((each) => [each.away, each.up]))} fill="none" stroke={colours.copper} strokeWidth={2.5} />
          {reacts && (
            <circle cx={x(reacts.distance_m)} cy={y(reacts.height_m)} r={4.5} fill={colours.raised} stroke={colours.slate} strokeWidth={2}>
              <title>the board reacts here, predicted</title>
            </circle>
          )}
          {last && <circle cx={x(last.away)} cy={y(last.up)} r={4.5} fill={colours.copper} />}
          {obstacles > 0 && (
            <text x={X1 - 78} y={y(obstacles) + 16} fontSize={11.5} textAnchor="end" fill={colours.ink}>
              what stands around, {obstacles} m
            </text>
          )}
          <rect
            {...handle("obstacles")}
            {...step("obstacles")}
            x={X1 - 70}
            y={y(obstacles) - 7}
            width={60}
            height={14}
            rx={7}
            fill={colours.verdigrisWash}
            stroke={colours.verdigris}
            strokeWidth={1.3}
          />
          <path
            d={`M${X1 - 46} ${y(obstacles) - 2}h12M${X1 - 46} ${y(obstacles) + 2}h12`}
            stroke={colours.verdigris}
            pointerEvents="none"
          />
          {back !== null && (
            <>
              <rect
                {...handle("return")}
                {...step("return")}
                x={X0 + 12}
                y={y(back) - 7}
                width={64}
                height={14}
                rx={7}
                fill={colours.slateWash}
                stroke={colours.slate}
                strokeWidth={1.3}
              />
              <text x={X0 + 44} y={y(back) + 4} fontSize={11} fontFamily={mono} textAnchor="middle" fill={colours.ink} pointerEvents="none">
                {back} m
              </text>
            </>
          )}
          <g transform={`translate(${x(craft.x)} ${y(craft.up)})`}>
            <path
              {...handle("craft")}
              {...step("craft")}
              d="M0 -10l10 10l-10 10l-10 -10z"
              fill={colours.slate}
              stroke={colours.raised}
              strokeWidth={1.5}
            />
            <text
              x={craft.x > far * 0.3 ? -15 : 0}
              y={craft.x > far * 0.3 ? 4 : -15}
              fontSize={11.5}
              textAnchor={craft.x > far * 0.3 ? "end" : "start"}
              stroke={colours.raised}
              strokeWidth={4}
              paintOrder="stroke"
              fill={colours.ink}
              pointerEvents="none"
            >
              link dies: {craft.x} m away{place.height_m > 0 || craft.up > 0 ? `, ${craft.up} m high` : ""}
            </text>
          </g>
          {(place.wind_mps ?? 0) > 0 && (
            <g stroke={colours.softInk} strokeWidth={1.4} fill="none" transform={`translate(${(X0 + X1) / 2 - 30} ${TOP - 4})`}>
              <path d={`M0 4h${20 + 3 * (place.wind_mps ?? 0)}m-6 -4l6 4l-6 4`} />
              <text x={30 + 3 * (place.wind_mps ?? 0)} y={8} fontSize={11.5} fill={colours.softInk} stroke="none">
                {place.wind_mps} m/s
              </text>
            </g>
          )}
        </svg>
      </WidePicture>
    </Box>
  );
}

/** A row of tree tops, none higher than `top`. */
function thicket(from: number, to: number, top: number, foot: number): string {
  const step = 26;
  const count = Math.floor((to - from) / step);
  const bumps = Array.from({ length: count }, (_, index) => {
    const left = from + index * step;
    const low = top + ((index * 7) % 5) * 1.6;
    return `Q${left + step / 2} ${low - 0} ${left + step} ${top + 9}`;
  });
  return `M${from} ${foot}V${top + 9}${bumps.join("")}L${to} ${top + 9}V${foot}Z`;
}

/** The next larger round figure. */
function nice(m: number): number {
  const size = 10 ** Math.floor(Math.log10(m));
  return [1, 1.5, 2, 3, 4, 5, 6, 8, 10].map((each) => each * size).find((each) => each >= m) ?? 10 * size;
}
