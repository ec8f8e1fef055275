import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { api, taken } from "../api/client";
import type { Craft, Session } from "../api/types";
import { colours } from "../look/colours";
import { useParts } from "../parts/useParts";

/** What is done after this form, by what was chosen in it. */
function comesNext(...parts: string[]): string {
  const left = ["board", "receiver", "transmitter"].filter((_, index) => !parts[index]);
  return left.length === 0
    ? "the Kit says whether the three understand each other, and takes the other devices. Then the Port plan works out which of them goes on which pad."
    : `you choose the ${left.length === 3 ? "board, the receiver and the transmitter" : left.join(" and the ")} in the Kit, which says what the set can do. The bench runs as soon as all three are there.`;
}

/** `first`: the workshop that it is made in, where nothing else is chosen. */
export function NewCraft({ workshops, first, onClose }: { workshops: Session["workshops"]; first: number; onClose: () => void }) {
  const go = useNavigate();
  const [form, fill] = useState({
    name: "",
    airframe: "quad X",
    board: "",
    receiver: "",
    transmitter: "",
    workshop: first,
  });
  const parts = useParts(form.workshop);
  const make = useMutation({
    mutationFn: (): Promise<Craft> => taken(api.POST("/api/crafts", { body: form })),
    onSuccess: (craft) => go(`/crafts/${craft.id}/kit`),
  });
  const setForm = (next: typeof form) => {
    fill(next);
    make.reset(); // what was wrong with it before says nothing of this one
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    make.mutate();
  };
  const choose = (name: "airframe" | "board" | "receiver" | "transmitter", label: string, options: { value: string; text: string }[]) => (
    <TextField
      select
      label={label}
      value={form[name]}
      onChange={(event) => setForm({ ...form, [name]: event.target.value })}
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
    >
      {name !== "airframe" && <MenuItem value="">chosen later, in the Kit</MenuItem>}
      {options.map((option) => (
        <MenuItem key={option.value} value={option.value}>
          {option.text}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <Dialog open onClose={onClose} aria-labelledby="new-craft">
      <form onSubmit={submit}>
        <DialogTitle id="new-craft">New craft</DialogTitle>
        <DialogContent sx={{ display: "grid", gap: 2, width: { xs: "auto", md: 420 }, pt: "8px !important" }}>
          <TextField
            label="Name"
            required
            autoFocus
            value={form.name}
            slotProps={{ htmlInput: { maxLength: 60 } }}
            onChange={(event) => setForm({ ...form, name: event.target.value })}
          />
          {workshops.length > 1 && (
            <TextField
              select
              label="Workshop"
              value={form.workshop}
              onChange={(event) => setForm({ ...form, workshop: Number(event.target.value) })}
            >
              {workshops.map((each) => (
                <MenuItem key={each.id} value={each.id}>
                  {each.name}
                </MenuItem>
              ))}
            </TextField>
          )}
          {choose(
            "airframe",
            "Airframe",
            (parts.data?.airframes ?? []).map((each) => ({ value: each, text: each })),
          )}
          <Box component="h3" sx={{ m: 0, fontSize: 13, fontWeight: 600 }}>
            The three parts, where you know them already
          </Box>
          {choose(
            "board",
            "Board",
            parts.data?.boards.map((each) => ({ value: each.id, text: `${each.name}, ${each.ports.length} UARTs, ${each.mcu} class` })) ??
              [],
          )}
          {choose(
            "receiver",
            "Receiver",
            parts.data?.receivers.map((each) => ({
              value: each.id,
              text: `${each.name}, ${each.outputs.map((output) => output.protocol).join(" or ")}`,
            })) ?? [],
          )}
          {choose(
            "transmitter",
            "Transmitter",
            parts.data?.transmitters.map((each) => ({ value: each.id, text: `${each.name}, ${each.channels} channels` })) ?? [],
          )}
          <Box component="section" aria-label="What comes next" sx={{ fontSize: 13.5, color: "text.secondary" }}>
            <b>Next:</b> {comesNext(form.board, form.receiver, form.transmitter)}
          </Box>
          <Box role="alert" sx={{ color: colours.oxide, minHeight: 20 }}>
            {make.error?.message}
          </Box>
        </DialogContent>
        <DialogActions>
          <Button variant="outlined" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit" variant="contained" disabled={make.isPending}>
            Make the craft
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
