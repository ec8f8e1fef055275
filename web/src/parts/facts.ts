import type { Part } from "../api/types";

type Fact = [string, string];

const span = (low: number, high: number) => (low === high ? `${low} V` : `${low} to ${high} V`);

function ma(supply: { ma: number; peak_ma: number }): string {
  return supply.ma === supply.peak_ma ? `${supply.ma} mA` : `${supply.ma} mA, ${supply.peak_ma} mA at its peak`;
}

/** A part's facts in words, the telling ones first. */
export function facts(part: Part): Fact[] {
  switch (part.kind) {
    case "board":
      return [
        ["MCU class", part.mcu],
        ["Ports", part.ports.map((port) => portFact(part, port)).join(", ")],
        [
          "Pulse inputs",
          part.pads
            .filter((pad) => pad.reads?.length)
            .map((pad) => `${pad.name} (${pad.reads?.join(", ")})`)
            .join(", ") || "none",
        ],
        ["Inverts on", part.inverting_pads.join(", ") || "no pad"],
        [
          "Shared pins",
          part.pads
            .filter((pad) => pad.pin || pad.also)
            .map((pad) => `${pad.name}: ${pad.also || pad.pin}`)
            .join(", ") || "none",
        ],
        ...part.rails.map(
          (rail): Fact => [
            `Rail ${rail.name}`,
            `${rail.volts} V, ${rail.limit_ma} mA${rail.source === "outside" ? ", fed from outside" : ""}; on USB ${rail.usb_volts ? `${rail.usb_volts} V, ${rail.usb_limit_ma} mA` : "dead"}`,
          ],
        ),
        ["Bench link", part.link_port ? `over a USB bridge on ${part.link_port}` : "USB of its own"],
        ["Sensors", part.sensors?.join(", ") || "none"],
        [
          "Text on the picture",
          part.text_screen ? "over an analog camera's, between its camera and its video pad" : "as text frames to a digital link",
        ],
      ];
    case "receiver":
      return [
        [
          "On the wire",
          part.outputs
            .map(
              (output) =>
                `${output.protocol}${output.inverted ? ", inverted" : ""}, ${output.channels} channels on ${output.pins.join(", ")}${output.jumper === true ? " with the jumper" : output.jumper === false ? " without the jumper" : ""}`,
            )
            .join("; "),
        ],
        ["Over the air", `${part.radio.name}, ${part.radio.band}, firmware family ${part.radio.family}, ${part.radio.regions.join(", ")}`],
        [
          "Telemetry",
          part.telemetry
            ? `${part.telemetry.protocol}${part.telemetry.asks === "found first" ? ", ids that it has found every other time" : ""}; home behind every ${part.radio.downlink_every ?? 4}. radio frame, ${part.radio.downlink_bytes ?? 8} bytes with ${part.radio.downlink_dbm ?? 14} dBm`
            : "none",
        ],
        ["Supply", `${span(part.supply.min_volts, part.supply.max_volts)}, ${ma(part.supply)}`],
        ["Link lost", `after ${part.lost_after_s} s: ${part.on_loss.join(", ")}${part.flags_loss ? "; says so in its frames" : ""}`],
        ...(part.jumper ? [["Jumper", part.jumper] as Fact] : []),
      ];
    case "transmitter":
      return [
        [
          "Over the air",
          part.radios.map((radio) => `${radio.name}, ${radio.band}, ${radio.family}, ${radio.regions.join(", ")}`).join("; ") || "nothing",
        ],
        ["Module bay", part.module_bay ? "yes" : "no"],
        ["Channels", String(part.channels)],
        [
          "Travel",
          `up to ${part.max_travel_percent} %, ${part.us_at_100} us at 100 %${part.throttle_reversed ? "; throttle reversed from the factory" : ""}`,
        ],
        ["Switches", part.switches.map((each) => `${each.name} (${each.positions})`).join(", ")],
      ];
    case "module":
      return [
        [
          "Over the air",
          part.radios.map((radio) => `${radio.name}, ${radio.band}, ${radio.family}, ${radio.regions.join(", ")}`).join("; "),
        ],
      ];
    case "peripheral":
      return [
        ["Job of its port", part.job ?? "needs no port"],
        ...(part.serial
          ? [
              [
                "Line",
                `${part.serial.protocol ? `${part.serial.protocol}, ` : ""}${part.serial.baud} baud${part.serial.inverted ? ", inverted" : ""}${part.serial.sends === part.serial.listens ? ", half duplex" : ""}`,
              ] as Fact,
            ]
          : []),
        ["Pins", part.pins.map((pin) => `${pin.name} (${pin.kind}${pin.bec ? `, ${pin.bec} BEC` : ""})`).join(", ")],
        ["Supply", part.supply ? `${span(part.supply.min_volts, part.supply.max_volts)}, ${ma(part.supply)}` : "none of the board's"],
        ["Sensors", part.sensors?.join(", ") || "none"],
        ...(part.screens?.length
          ? [["Picture", part.screens.map((each) => `${each.format}, ${each.columns} by ${each.rows} characters`).join("; ")] as Fact]
          : []),
        ...(part.reverses ? [["Drive", "turns both ways; stands still in the middle"] as Fact] : []),
      ];
    case "pack":
      return [
        ["Cells", `${part.cells}, ${part.chemistry}`],
        ["Capacity", `${part.capacity_mah} mAh`],
        ["Resistance", `${part.cell_mohm ?? 5} mOhm a cell${(part.parallel ?? 1) > 1 ? `, ${part.parallel} in parallel` : ""}`],
        ["Volts at rest", `${part.full_volts} V full, ${part.nominal_volts} V nominal, ${part.empty_volts} V empty`],
      ];
  }
}

function portFact(board: Extract<Part, { kind: "board" }>, port: string): string {
  const kinds = board.pads.filter((pad) => pad.port === port).map((pad) => pad.kind);
  const lacks = !kinds.includes("rx") ? " (no RX)" : !kinds.includes("tx") ? " (no TX)" : "";
  return port + lacks + (board.software_ports?.includes(port) ? " (software)" : "");
}

export const KIND_WORDS: Record<Part["kind"], string> = {
  board: "Boards",
  receiver: "Receivers",
  transmitter: "Transmitters",
  module: "Modules",
  peripheral: "Peripherals",
  pack: "Packs",
};

/** One line that tells a part from its neighbours in a list. */
export function inShort(part: Part): string {
  switch (part.kind) {
    case "board":
      return `${part.mcu}, ${part.ports.length} UARTs`;
    case "receiver":
      return `${part.outputs
        .map((output) => output.protocol)
        .filter((name, index, all) => all.indexOf(name) === index)
        .join(" or ")}, ${part.radio.name} ${part.radio.band}`;
    case "transmitter":
      return `${part.channels} channels, ${part.radios.map((radio) => radio.name).join(", ")}${part.module_bay ? ", module bay" : ""}`;
    case "module":
      return part.radios.map((radio) => `${radio.name} ${radio.band}`).join(", ");
    case "peripheral":
      return part.about ?? part.job ?? "";
    case "pack":
      return `${part.cells} ${part.chemistry} cells, ${part.capacity_mah} mAh`;
  }
}
