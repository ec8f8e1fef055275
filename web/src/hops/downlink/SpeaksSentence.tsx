import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { CraftDocument, DownlinkTold } from "../../api/types";
import { SayChoice, Sentence } from "../../look/Sentence";

type Setup = NonNullable<CraftDocument["settings"]["telemetry"]>;
const PROTOCOLS = ["S.Port", "hub telemetry", "IBUS telemetry", "MAVLink", "CRSF"];

/** How the board speaks, as a sentence; what its wire asks for beside it where that is something else. */
export function SpeaksSentence({ told, setup, set }: { told: DownlinkTold; setup: Setup; set: (change: Partial<Setup>) => void }) {
  const { asked } = told;
  const otherwise =
    asked !== null &&
    (asked.protocol !== setup.protocol ||
      asked.inverted !== (setup.inverted ?? false) ||
      asked.half_duplex !== (setup.half_duplex ?? false));
  return (
    <Box component="section" aria-label="How the board speaks">
      <Box component="h3" sx={{ m: 0, mb: 0.5, fontSize: 12.5, color: "text.secondary", fontWeight: 600 }}>
        How the board speaks
      </Box>
      <Sentence>
        The board{" "}
        <SayChoice
          label="Telemetry"
          value={(setup.on ?? true) ? "on" : "off"}
          choices={[
            { value: "on", text: "tells" },
            { value: "off", text: "does not tell" },
          ]}
          onSay={(value) => set({ on: value === "on" })}
        />{" "}
        what it knows.
        {told.shared && ` On ${told.port ?? "the receiver's port"} it answers as it is spoken to: ${told.protocol}, like the channels.`}
      </Sentence>
      {!told.shared && (
        <Sentence>
          On {told.port ?? "the port with the telemetry job"} it speaks{" "}
          <SayChoice
            label="Telemetry protocol"
            value={setup.protocol ?? ""}
            choices={[{ value: "", text: "nothing" }, ...PROTOCOLS.map((value) => ({ value, text: value }))]}
            onSay={(value) => set({ protocol: value || null })}
          />
          ,{" "}
          <SayChoice
            label="Levels"
            value={setup.inverted ? "inverted" : "upright"}
            choices={[
              { value: "inverted", text: "inverted" },
              { value: "upright", text: "not inverted" },
            ]}
            onSay={(value) => set({ inverted: value === "inverted" })}
          />
          ,{" "}
          <SayChoice
            label="Duplex"
            value={setup.half_duplex ? "half" : "full"}
            choices={[
              { value: "half", text: "half duplex: both ways on the TX pad" },
              { value: "full", text: "full duplex: RX and TX" },
            ]}
            onSay={(value) => set({ half_duplex: value === "half" })}
          />
          .
        </Sentence>
      )}
      {otherwise && asked && (
        <Box sx={{ fontSize: 13, color: "text.secondary" }}>
          Its wire asks for {asked.protocol}, {asked.inverted ? "inverted" : "not inverted"}, {asked.half_duplex ? "half" : "full"} duplex.{" "}
          <Button
            variant="outlined"
            onClick={() =>
              set({ protocol: asked.protocol ?? null, inverted: asked.inverted ?? false, half_duplex: asked.half_duplex ?? false })
            }
          >
            Speak so
          </Button>
        </Box>
      )}
    </Box>
  );
}
