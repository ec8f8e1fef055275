import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import { memo, useState } from "react";
import { api, taken } from "../../api/client";
import type { Craft, Transmitter, TransmitterSetup } from "../../api/types";
import type { HopProps } from "../../craft/hopProps";
import { type Proposal, ProposalBox } from "../../craft/ProposalBox";
import { settled } from "../../craft/useDraft";
import { type Answer, useForVersion } from "../../craft/useWorkedOut";
import { JsonFileButton } from "../../look/JsonFileButton";
import { NumberField } from "../../look/NumberField";
import { Panel } from "../../look/Panel";
import { Pick } from "../../look/Pick";
import { Problem } from "../../look/Problem";
import { columns } from "../../look/phone";
import { WideTable } from "../../look/WidePicture";
import { CurveField } from "./CurveField";
import { Mixes, Rates } from "./MemoryLists";
import { STICK_AXES, type Write } from "./memory";

const LAYOUTS = ["plain", "helicopter", "elevons", "flaps"] as const;

const named = <T extends string | number>(values: readonly T[]) => values.map((value) => ({ value, text: String(value) }));

/** The transmitter's model memory, in its own steps and limits. Its many fields are drawn when the craft changes, not with every report. */
export const MemoryPanel = memo(function MemoryPanel({
  craft,
  transmitter,
  edit,
}: {
  craft: Craft;
  transmitter: Transmitter;
  edit: HopProps["edit"];
}) {
  const setup = craft.document.transmitter;
  const [proposal, propose] = useForVersion<Proposal>(craft.version);
  const [problem, setProblem] = useState("");
  const write: Write = (change) =>
    edit((draft) => {
      change(draft.transmitter);
      return draft;
    });
  const read = async (data: never) => {
    await settled();
    const answer: Answer<Proposal["exchange"]> = await taken(
      api.POST("/api/crafts/{craft_id}/model-memory", { params: { path: { craft_id: craft.id } }, body: data }),
    );
    setProblem("");
    propose({ version: answer.version, view: { title: "Take this model memory", exchange: answer.view } });
  };
  return (
    <Panel
      title={`Model memory of the ${transmitter.name}`}
      aside={
        <Box sx={{ display: "flex", gap: 1 }}>
          <JsonFileButton name="Model memory file" onData={read} onProblem={(text) => setProblem(`Nothing was taken. ${text}`)}>
            Load a file
          </JsonFileButton>
          <Button variant="outlined" href={`/api/crafts/${craft.id}/model-memory`} download>
            Save as a file
          </Button>
        </Box>
      }
    >
      <Problem text={problem} />
      {proposal && (
        <Box sx={{ mb: 1.5 }}>
          <ProposalBox proposal={proposal} onTake={() => edit(proposal.exchange.edits, craft.version)} onLeave={() => propose(null)} />
        </Box>
      )}
      <Box sx={{ display: "flex", gap: 1, mb: 1.5, flexWrap: "wrap" }}>
        <Pick
          label="Model type"
          value={setup.layout}
          options={named(LAYOUTS)}
          onPick={(layout) => write((target) => (target.layout = layout))}
        />
        <Pick
          label="Stick mode"
          value={setup.stick_mode}
          options={named([1, 2, 3, 4] as const)}
          width={100}
          onPick={(mode) => write((target) => (target.stick_mode = mode))}
        />
        <Pick
          label="Memory"
          value={setup.slot}
          options={named(Array.from({ length: 10 }, (_, index) => index + 1))}
          width={92}
          onPick={(slot) => write((target) => (target.slot = slot))}
        />
        {transmitter.module_bay && (
          <Pick
            label="Sends through"
            value={setup.module ?? ""}
            options={[
              { value: "", text: craft.document.kit.module ? "the module, as usual" : "its own radio, as usual" },
              { value: "own radio", text: "its own radio" },
              { value: "module bay", text: "the module bay" },
            ]}
            width={186}
            onPick={(module) => write((target) => (target.module = module === "" ? null : (module as "own radio")))}
          />
        )}
      </Box>
      <Box role="group" aria-label="Trims" sx={{ display: "flex", gap: 1, mb: 1.5, flexWrap: "wrap" }}>
        {STICK_AXES.map((axis) => (
          <NumberField
            key={axis}
            label={`Trim of ${axis}`}
            value={setup.trims_us[axis] ?? 0}
            unit="us"
            min={-200}
            max={200}
            onCommit={(us) =>
              write((target) => {
                target.trims_us = { ...target.trims_us, [axis]: us };
                if (us === 0) delete target.trims_us[axis];
              })
            }
          />
        ))}
      </Box>
      <ChannelTable setup={setup} transmitter={transmitter} write={write} />
      <Box sx={{ display: "grid", gridTemplateColumns: columns("minmax(0, 2fr) minmax(0, 2.4fr)"), gap: 3, mt: 2, alignItems: "start" }}>
        <Mixes setup={setup} switches={transmitter.switches} write={write} />
        <Rates setup={setup} switches={transmitter.switches} write={write} />
      </Box>
    </Panel>
  );
});

function ChannelTable({
  setup,
  transmitter,
  write,
}: {
  setup: TransmitterSetup;
  transmitter: HopProps["parts"]["transmitter"];
  write: Write;
}) {
  const ends = transmitter.ends;
  const most = ends.sub_trim_max_us;
  const numbers = [
    { field: "sub_trim_us", label: "Sub-trim", unit: "us", min: -most, max: most },
    { field: "travel_low_percent", label: "Low travel", unit: "%", min: 0, max: transmitter.max_travel_percent },
    { field: "travel_high_percent", label: "High travel", unit: "%", min: 0, max: transmitter.max_travel_percent },
  ] as const;
  const sources = [
    { value: "", text: "no source" },
    ...STICK_AXES.map((axis) => ({ value: axis as string, text: axis as string })),
    ...transmitter.switches.map(({ name }) => ({ value: name, text: name })),
  ];
  return (
    <>
      <WideTable name="Channels" least={690}>
        <Box
          component="table"
          aria-label="Model memory"
          sx={{
            borderCollapse: "collapse",
            fontSize: 13,
            "& th": { fontWeight: 500, color: "text.secondary", textAlign: "left", pr: 1 },
            "& td": { pr: 1, py: 0.35 },
          }}
        >
          <thead>
            <tr>
              <th>channel</th>
              <th>source</th>
              <th>reverse</th>
              <th>sub-trim</th>
              <th>low travel</th>
              <th>high travel</th>
              <th>curve</th>
            </tr>
          </thead>
          <tbody>
            {setup.channels.map((channel, index) => {
              const name = `CH${index + 1}`;
              const set = (change: Partial<typeof channel>) =>
                write((target) => {
                  const at = target.channels[index];
                  if (at) Object.assign(at, change);
                });
              return (
                // biome-ignore lint/suspicious/noArrayIndexKey: a channel is its number
                <tr key={index}>
                  <td>
                    <b>{name}</b>
                  </td>
                  <td>
                    <Pick label={`Source of ${name}`} bare value={channel.source} options={sources} onPick={(source) => set({ source })} />
                  </td>
                  <td>
                    <Checkbox
                      size="small"
                      checked={channel.reverse}
                      slotProps={{ input: { "aria-label": `Reverse ${name}` } }}
                      onChange={(_, reverse) => set({ reverse })}
                    />
                  </td>
                  {numbers.map(({ field, label, unit, min, max }) => (
                    <td key={field}>
                      <NumberField
                        label={`${label} of ${name}`}
                        bare
                        value={channel[field]}
                        unit={unit}
                        min={min}
                        max={max}
                        width={96}
                        onCommit={(value) => set({ [field]: value })}
                      />
                    </td>
                  ))}
                  <td>
                    <CurveField label={`Curve of ${name}`} points={channel.curve} onCommit={(curve) => set({ curve })} />
                  </td>
                </tr>
              );
            })}
          </tbody>
        </Box>
      </WideTable>
      <Box sx={{ mt: 0.75, fontSize: 12.5, color: "text.secondary" }}>
        The {transmitter.name} goes in steps of {ends.sub_trim_step_us} us of sub-trim, up to {most} us, and {ends.travel_step_percent} % of
        travel, up to {transmitter.max_travel_percent} %; 100 % are {transmitter.us_at_100} us.{" "}
        {ends.straight > 0 && "On it the two travels shift the centre, too. "}
        {ends.sub_trim_moves_ends === false && "On it sub-trim leaves the ends where they are. "}
      </Box>
    </>
  );
}
