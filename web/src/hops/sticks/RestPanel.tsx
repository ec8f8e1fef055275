import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { memo, type ReactNode } from "react";
import type { Craft, Told } from "../../api/types";
import { useBenchStore, useSteady } from "../../bench/useBench";
import type { HopProps } from "../../craft/hopProps";
import { colours, mono } from "../../look/colours";
import { NumberField } from "../../look/NumberField";
import { Panel } from "../../look/Panel";
import { AXES, type Axis } from "./axes";

type Room = NonNullable<NonNullable<Told["sticks"]>["rest"][number]["beyond_low"]>;
const MOST_DEADBAND_US = 100;
const INKS: Record<Room["says"], string> = { short: colours.oxide, narrow: colours.copperText, enough: colours.verdigris };

/** Noise at rest, the deadband that follows from it, and the room beyond the floor and ceiling lines. */
export const RestPanel = memo(function RestPanel({ craft, edit }: { craft: Craft; edit: HopProps["edit"] }) {
  const set = craft.document.settings.deadband;
  const watched = useBenchStore((state) => state.report?.told.sticks?.rest[0]?.of_s);
  const proposed = useBenchStore((state) => state.report?.told.sticks?.deadband);
  const same = proposed && proposed.deadband.sticks_us === set.sticks_us && proposed.deadband.yaw_us === set.yaw_us;
  return (
    <Panel
      title="At rest, and at the lines"
      aside={
        proposed && !same ? (
          <Button
            variant="outlined"
            onClick={() =>
              edit((document) => {
                document.settings.deadband = proposed.deadband;
                return document;
              })
            }
          >
            Set deadband: {proposed.deadband.sticks_us} us, yaw {proposed.deadband.yaw_us} us
          </Button>
        ) : null
      }
    >
      <Box
        component="table"
        aria-label="At rest"
        sx={{
          width: "100%",
          borderCollapse: "collapse",
          fontSize: 13,
          "& th, & td": { textAlign: "right", py: 0.3, px: 0.5, borderBottom: `1px solid ${colours.hairline}` },
          "& th": { fontWeight: 500, color: "text.secondary" },
          "& td": { fontFamily: mono, fontSize: 12.5, whiteSpace: "nowrap" },
        }}
      >
        <thead>
          <tr>
            <th />
            <th>peak to peak</th>
            <th>deviation</th>
            <th>deadband</th>
            <th>below the floor line</th>
            <th>above the ceiling line</th>
          </tr>
        </thead>
        <tbody>
          {AXES.map(({ axis }) => (
            <RestRow key={axis} axis={axis}>
              {axis === "throttle" ? (
                <td style={{ color: colours.softInk }}>–</td>
              ) : axis !== "pitch" ? (
                <td rowSpan={axis === "roll" ? 2 : 1}>
                  <NumberField
                    bare
                    label={axis === "roll" ? "Deadband of roll and pitch" : "Deadband of yaw"}
                    value={axis === "roll" ? set.sticks_us : set.yaw_us}
                    unit="us"
                    min={0}
                    max={MOST_DEADBAND_US}
                    width={78}
                    onCommit={(us) =>
                      edit((document) => {
                        const name = axis === "roll" ? "sticks_us" : "yaw_us";
                        document.settings.deadband = { ...document.settings.deadband, [name]: Math.round(us) };
                        return document;
                      })
                    }
                  />
                </td>
              ) : null}
            </RestRow>
          ))}
        </tbody>
      </Box>
      <Box sx={{ mt: 0.75, fontSize: 12.5, color: "text.secondary" }}>
        {proposed
          ? `${proposed.because.join("; ")}.`
          : `Let go of both sticks for ${watched ?? "a few"} s: the deadband follows from the noise.`}
      </Box>
    </Panel>
  );
});

function RestRow({ axis, children }: { axis: Axis; children: ReactNode }) {
  const rest = useSteady((state) => state.report?.told.sticks?.rest.find((each) => each.axis === axis));
  return (
    <tr>
      <th scope="row" style={{ textAlign: "left", color: colours.ink }}>
        {axis}
      </th>
      {rest?.noise ? (
        <>
          <td>{rest.noise.peak_us.toFixed(1)} us</td>
          <td>{rest.noise.deviation_us.toFixed(2)} us</td>
        </>
      ) : (
        <td colSpan={2} style={{ color: colours.softInk }}>
          rests {rest?.rests_s.toFixed(0) ?? "0"} of {rest?.of_s ?? "–"} s
        </td>
      )}
      {children}
      <Margin room={rest?.beyond_low ?? null} />
      <Margin room={rest?.beyond_high ?? null} />
    </tr>
  );
}

function Margin({ room }: { room: Room | null }) {
  if (!room) return <td style={{ color: colours.softInk }}>–</td>;
  const us = Math.abs(room.us).toFixed(0);
  return <td style={{ color: INKS[room.says] }}>{room.says === "short" ? `${us} us short` : `${us} us`}</td>;
}
