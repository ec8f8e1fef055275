import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { Budget, Craft } from "../../api/types";
import type { HopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { NumberField } from "../../look/NumberField";
import { Panel } from "../../look/Panel";
import { columns } from "../../look/phone";
import { WidePicture } from "../../look/WidePicture";

const WIDTH = 560;
const HEIGHT = 250;
const LEFT = 44;
const BOTTOM = 34;
const TOP = 14;

const far = (metres: number) =>
  metres < 1000 ? `${metres.toFixed(metres < 10 ? 1 : 0)} m` : `${(metres / 1000).toFixed(metres < 10000 ? 1 : 0)} km`;

/** Signal against distance, beside the lines it is judged by. */
export function LinkBudget({ budget, craft, edit, distance }: { budget: Budget; craft: Craft; edit: HopProps["edit"]; distance: number }) {
  const set = (name: string, value: number | null) => edit([{ path: `/air/${name}`, value }], craft.version);
  const { over } = budget;
  return (
    <Panel title="Link budget" aside={`free space, ${budget.frequency_mhz.toFixed(0)} MHz; what stands between both ends takes more`}>
      <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 1fr) 250px"), gap: 2 }}>
        <WidePicture name="Link budget picture" least={560}>
          <Plot budget={budget} distance={distance} />
        </WidePicture>
        <Box sx={{ display: "grid", gap: 1, alignContent: "start" }}>
          <TextField select label="Power" value={budget.power_dbm} onChange={(event) => set("power_dbm", Number(event.target.value))}>
            {[...new Set([...budget.powers_dbm, budget.power_dbm])]
              .sort((a, b) => a - b)
              .map((power) => (
                <MenuItem key={power} value={power}>
                  {power} dBm ({Math.round(10 ** (power / 10))} mW)
                </MenuItem>
              ))}
          </TextField>
          <TextField select label="Frame rate" value={budget.rate_hz} onChange={(event) => set("rate_hz", Number(event.target.value))}>
            {budget.rates_hz.map((rate) => (
              <MenuItem key={rate} value={rate}>
                {rate} Hz
              </MenuItem>
            ))}
          </TextField>
          <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
            <NumberField
              width={121}
              label="Transmitter gain"
              unit="dBi"
              min={-10}
              max={20}
              value={budget.transmitter_gain_dbi}
              onCommit={(value) => set("transmitter_gain_dbi", value)}
            />
            <NumberField
              width={121}
              label="Receiver gain"
              unit="dBi"
              min={-10}
              max={20}
              value={budget.receiver_gain_dbi}
              onCommit={(value) => set("receiver_gain_dbi", value)}
            />
            <NumberField
              width={121}
              label="Other losses"
              unit="dB"
              min={0}
              max={40}
              value={budget.other_losses_db}
              onCommit={(value) => set("other_losses_db", value)}
            />
            <NumberField
              width={121}
              label="Frequency"
              unit="MHz"
              min={100}
              max={6000}
              value={budget.frequency_mhz}
              onCommit={(value) => set("frequency_mhz", value)}
            />
          </Box>
          <Box
            component="dl"
            sx={{
              m: 0,
              display: "grid",
              gridTemplateColumns: "1fr auto",
              rowGap: 0.25,
              fontSize: 13,
              "& dd": { m: 0, fontFamily: mono, textAlign: "right" },
            }}
          >
            <dt>Radiated (EIRP)</dt>
            <Box component="dd" sx={{ color: over ? colours.oxide : undefined, fontWeight: over ? 600 : 400 }}>
              {budget.eirp_dbm.toFixed(1)} dBm
            </Box>
            <dt>Allowed{budget.region ? ` under ${budget.region}` : ""}</dt>
            <Box component="dd" title={budget.limit_from}>
              {budget.limit_dbm === null ? "no limit known" : `${budget.limit_dbm.toFixed(1)} dBm`}
            </Box>
            <dt>Sensitivity at {budget.rate_hz} Hz</dt>
            <dd>{budget.sensitivity_dbm} dBm</dd>
            <dt>Margin at 1 km</dt>
            <Box component="dd" sx={{ color: budget.margin_at_1_km_db < 0 ? colours.oxide : undefined }}>
              {budget.margin_at_1_km_db.toFixed(1)} dB
            </Box>
            <dt>Alarm line reached at</dt>
            <dd>{far(budget.alarm_at_m)}</dd>
            <dt>Last frames at</dt>
            <dd>{far(budget.range_m)}</dd>
          </Box>
        </Box>
      </Box>
    </Panel>
  );
}

/** Words that lie on lines: the line is interrupted around them. */
const ON_LINES = { stroke: colours.raised, strokeWidth: 4, strokeLinejoin: "round", paintOrder: "stroke" } as const;

function Plot({ budget, distance }: { budget: Budget; distance: number }) {
  const curve = budget.curve as [number, number][];
  const first = curve[0]?.[0] ?? 1;
  const last = curve[curve.length - 1]?.[0] ?? 10;
  const allowed = Math.max(0, -(budget.over_db ?? 0));
  const high = Math.max(...curve.map((point) => point[1] + allowed), budget.alarm_dbm + 10);
  const low = Math.min(budget.sensitivity_dbm - 10, ...curve.map((point) => point[1]));
  const x = (metres: number) =>
    LEFT + ((Math.log10(metres) - Math.log10(first)) / (Math.log10(last) - Math.log10(first))) * (WIDTH - LEFT - 12);
  const y = (dbm: number) => TOP + ((high - dbm) / (high - low)) * (HEIGHT - TOP - BOTTOM);
  const decades = [1, 10, 100, 1000, 10000, 100000].filter((metres) => metres >= first && metres <= last);
  const rungs = Array.from({ length: 9 }, (_, index) => -140 + index * 20).filter((dbm) => dbm > low && dbm < high);
  const line = curve.map(([metres, dbm]) => `${x(metres).toFixed(1)},${y(dbm).toFixed(1)}`).join(" ");
  const above = budget.over_db === null ? null : -budget.over_db;
  const atLimit = above === null ? "" : curve.map(([metres, dbm]) => `${x(metres).toFixed(1)},${y(dbm + above).toFixed(1)}`).join(" ");
  const text = { fontSize: 11.5, fontFamily: mono, fill: colours.tarnishText, ...ON_LINES };
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={`Signal against distance: last frames at ${far(budget.range_m)}`}
      style={{ width: "100%", display: "block" }}
    >
      {rungs.map((dbm) => (
        <g key={dbm}>
          <line x1={LEFT} x2={WIDTH - 12} y1={y(dbm)} y2={y(dbm)} stroke={colours.hairline} />
          <text x={LEFT - 6} y={y(dbm) + 4} textAnchor="end" {...text}>
            {dbm}
          </text>
        </g>
      ))}
      {decades.map((metres) => (
        <g key={metres}>
          <line x1={x(metres)} x2={x(metres)} y1={TOP} y2={HEIGHT - BOTTOM} stroke={colours.hairline} />
          <text x={x(metres)} y={HEIGHT - BOTTOM + 15} textAnchor="middle" {...text}>
            {far(metres).replace(".0", "")}
          </text>
        </g>
      ))}
      <text x={LEFT} y={HEIGHT - 4} {...text}>
        dBm at the receiver, against distance
      </text>
      {distance >= first && distance <= last && (
        <>
          <line x1={x(distance)} x2={x(distance)} y1={TOP} y2={HEIGHT - BOTTOM} stroke={colours.slate} strokeDasharray="2 3" />
          <text x={x(distance) + 5} y={TOP + (HEIGHT - TOP - BOTTOM) * 0.5} {...text} fill={colours.slate}>
            bench: {far(distance)}
          </text>
        </>
      )}
      <rect
        x={LEFT}
        width={WIDTH - LEFT - 12}
        y={y(budget.sensitivity_dbm)}
        height={HEIGHT - BOTTOM - y(budget.sensitivity_dbm)}
        fill={colours.oxideWash}
        opacity={0.7}
      />
      <line
        x1={LEFT}
        x2={WIDTH - 12}
        y1={y(budget.sensitivity_dbm)}
        y2={y(budget.sensitivity_dbm)}
        stroke={colours.oxide}
        strokeWidth={1.5}
      />
      <text x={LEFT + 8} y={y(budget.sensitivity_dbm) + 15} {...text} fill={colours.oxide}>
        sensitivity {budget.sensitivity_dbm} dBm: below it nothing is understood
      </text>
      <line
        x1={LEFT}
        x2={WIDTH - 12}
        y1={y(budget.alarm_dbm)}
        y2={y(budget.alarm_dbm)}
        stroke={colours.copper}
        strokeWidth={1.5}
        strokeDasharray="5 4"
      />
      <text x={LEFT + 8} y={y(budget.alarm_dbm) - 5} {...text} fill={colours.copperText}>
        alarm line {budget.alarm_dbm} dBm{budget.alarm_from && `, from ${budget.alarm_from}`}
      </text>
      {atLimit && (
        <>
          <polyline points={atLimit} fill="none" stroke={colours.slate} strokeWidth={1.5} strokeDasharray="7 4" />
          <text x={WIDTH - 14} y={TOP + 12} textAnchor="end" {...text} fill={colours.slate}>
            dashed: what {budget.region} allows, {budget.limit_dbm?.toFixed(1)} dBm EIRP
          </text>
        </>
      )}
      <polyline points={line} fill="none" stroke={colours.verdigris} strokeWidth={2.5} />
      {budget.alarm_at_m >= first && budget.alarm_at_m <= last && (
        <Mark x={x(budget.alarm_at_m)} y={y(budget.alarm_dbm)} ink={colours.copper} label={far(budget.alarm_at_m)} />
      )}
      <Mark x={x(budget.range_m)} y={y(budget.sensitivity_dbm)} ink={colours.oxide} label={far(budget.range_m)} />
    </svg>
  );
}

/** A point on the curve; its label lies below and left of it, where no line runs. */
function Mark({ x, y, ink, label }: { x: number; y: number; ink: string; label: string }) {
  return (
    <g>
      <circle cx={x} cy={y} r={4.5} fill={ink} />
      <text x={x - 8} y={y + 16} textAnchor="end" fontSize={12} fontWeight={600} fontFamily={mono} fill={ink} {...ON_LINES}>
        {label}
      </text>
    </g>
  );
}
