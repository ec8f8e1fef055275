import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { ReactNode } from "react";
import type { AirframeTold } from "../../api/types";
import { sendHands } from "../../bench/useBench";
import { colours } from "../../look/colours";
import { Panel } from "../../look/Panel";
import { columns } from "../../look/phone";
import { SayNumber } from "../../look/Sentence";

type Pack = NonNullable<AirframeTold["pack"]>;

/** The pack as it is read and as it is, and what every rail carries while it is full. */
export function PackPanel({ told, checks }: { told: AirframeTold; checks: boolean }) {
  const { pack } = told;
  return (
    <Panel title="The pack, and what hangs on it">
      <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 1fr) minmax(0, 1fr)"), gap: 3, fontSize: 13.5 }}>
        <div>{pack ? <Read pack={pack} checks={checks} /> : "No pack is chosen. Choose the one that it flies on in the Kit."}</div>
        <Rails told={told} full={pack?.full_v ?? null} />
      </Box>
    </Panel>
  );
}

function Read({ pack, checks }: { pack: Pack; checks: boolean }) {
  const [full, reserve, empty] = pack.per_cell;
  return (
    <>
      <Box sx={{ mb: 1 }}>
        <b>{pack.name}</b> was chosen: {pack.cells} cells of {pack.chemistry}, each {volts(full)} full, {volts(reserve)} with a fifth left,{" "}
        {volts(empty)} empty. Of {pack.capacity_mah} mAh {pack.usable_mah} may be used
        {pack.minutes !== null && `, ${pack.minutes.toFixed(0)} minutes as it flies`}.
      </Box>
      <Line title="Voltage" good={pack.voltage_off_percent === null ? null : Math.abs(pack.voltage_off_percent) <= 2}>
        {pack.shows_v === null ? "The board shows none. " : `The board shows ${pack.shows_v.toFixed(2)} V. `}A meter at the pack shows{" "}
        <SayNumber
          label="Meter at the pack"
          value={pack.told_v}
          unit="V"
          min={0}
          max={100}
          empty="not read yet"
          onSay={(value) => value !== null && sendHands({ meter_v: value })}
        />
        {pack.voltage_off_percent !== null &&
          (pack.voltage_off_percent === 0
            ? ", just as much."
            : `, the board ${Math.abs(pack.voltage_off_percent)} % ${pack.voltage_off_percent > 0 ? "more" : "less"}.`)}
        <Take disabled={!checks} onClick={() => sendHands({ meter_v: pack.meter_v })}>
          Take the bench's meter: {pack.meter_v.toFixed(2)} V
        </Take>
      </Line>
      <Line title="Cells" good={pack.cells_found === null ? null : pack.cells_found === pack.cells}>
        {pack.told_v === null
          ? "The meter's reading at rest tells how many lie there."
          : pack.ask
            ? `At ${pack.told_v} V it has ${pack.counts.join(" or ")}. Count the wires of its balance lead; cells are one less:`
            : pack.cells_found === null
              ? `No count of ${pack.chemistry} cells has ${pack.told_v} V.`
              : `${pack.cells_found} lie there.`}
        {pack.ask &&
          pack.counts.map((count) => (
            <Take key={count} disabled={!checks} onClick={() => sendHands({ cells_told: count })}>
              {count} cells
            </Take>
          ))}
      </Line>
      {pack.shows_a !== null && (
        <Line title="Current" good={pack.current_wrong === null ? null : pack.current_wrong === ""}>
          The board shows {pack.shows_a.toFixed(1)} A.{" "}
          {pack.current_wrong === null
            ? pack.points === 0
              ? "Read a meter at rest, then with the motors turning, props off."
              : pack.motors_turn
                ? "One reading is taken; now this one."
                : "One reading is taken. The other with the motors turning: props off, arm, throttle up."
            : pack.current_wrong === ""
              ? "That is what flows."
              : `${capital(pack.current_wrong)}.`}{" "}
          A meter in its lead shows{" "}
          <SayNumber
            label="Meter in the pack's lead"
            value={null}
            unit="A"
            min={-10}
            max={500}
            empty="not read yet"
            onSay={(value) => value !== null && sendHands({ clamp_a: value })}
          />
          <Take disabled={!checks} onClick={() => sendHands({ clamp_a: pack.clamp_a })}>
            Take the bench's meter: {pack.clamp_a.toFixed(1)} A
          </Take>
        </Line>
      )}
      {pack.counted_mah !== null && (
        <Line title="Charge" good={null}>
          It has counted {pack.counted_mah.toFixed(0)} mAh; the charger put back{" "}
          <SayNumber
            label="The charger put back"
            value={null}
            unit="mAh"
            min={0}
            max={100000}
            empty="not read yet"
            onSay={(value) => value !== null && sendHands({ put_back_mah: value })}
          />
          <Take disabled={!checks || pack.charger_mah < 1} onClick={() => sendHands({ put_back_mah: pack.charger_mah })}>
            Take the bench's charger: {pack.charger_mah} mAh
          </Take>
        </Line>
      )}
    </>
  );
}

function Line({ title, good, children }: { title: string; good: boolean | null; children: ReactNode }) {
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "64px minmax(0, 1fr)",
        gap: 1,
        py: 0.5,
        borderTop: 1,
        borderColor: "divider",
        lineHeight: "26px",
      }}
    >
      <Box component="span" sx={{ fontWeight: 600, color: good === null ? colours.softInk : good ? colours.verdigris : colours.oxide }}>
        {title}
      </Box>
      <span>{children}</span>
    </Box>
  );
}

function Take({ disabled, onClick, children }: { disabled: boolean; onClick: () => void; children: ReactNode }) {
  return (
    <Button
      variant="outlined"
      disabled={disabled}
      onClick={onClick}
      sx={{ py: 0, px: 1, ml: 0.75, fontSize: 12.5, color: colours.verdigris }}
    >
      {children}
    </Button>
  );
}

function Rails({ told, full }: { told: AirframeTold; full: number | null }) {
  return (
    <div>
      <Box component="table" aria-label="Rails on a full pack" sx={{ width: "100%", borderCollapse: "collapse", fontSize: 13, ...CELLS }}>
        <thead>
          <tr>
            <th>rail</th>
            <th>full</th>
            <th>carries</th>
            <th>gives</th>
            <th>on it</th>
          </tr>
        </thead>
        <tbody>
          {told.rails.map((rail) => (
            <tr key={rail.name}>
              <td>
                <b>{rail.name}</b>
              </td>
              <td>{rail.volts} V</td>
              <td style={{ color: rail.ma > rail.limit_ma ? colours.oxide : undefined }}>{rail.ma} mA</td>
              <td>{rail.limit_ma} mA</td>
              <td style={{ color: colours.softInk }}>{rail.on.join(", ")}</td>
            </tr>
          ))}
        </tbody>
      </Box>
      {full !== null &&
        told.rated.map((each) => (
          <Box key={each.device} sx={{ mt: 0.5, color: each.bears_v < full ? colours.oxide : "text.primary" }}>
            {capital(each.device)} hangs on the pack itself: it bears {each.bears_v} V, and the full pack has {full} V.
          </Box>
        ))}
      {told.pack?.full_a != null &&
        Object.entries(told.pack.escs).map(([name, bears]) => (
          <Box key={name} sx={{ mt: 0.5, color: (told.pack?.full_a ?? 0) > bears ? colours.copperText : "text.primary" }}>
            At full throttle each motor draws about {told.pack?.full_a} A; the {name} bears {bears} A.
          </Box>
        ))}
      {told.too_much.length > 0 && (
        <Box sx={{ mt: 0.75, fontWeight: 600, color: colours.oxide }}>Too much for {told.too_much.join(" and ")}: see the Loom.</Box>
      )}
    </div>
  );
}

const CELLS = {
  "& th": { textAlign: "left", fontWeight: 500, color: colours.softInk },
  "& td, & th": { py: 0.35, pr: 1.25, verticalAlign: "top" },
} as const;
const volts = (each: number | undefined) => `${(each ?? 0).toFixed(2)} V`;
const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
