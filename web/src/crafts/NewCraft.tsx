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

export function NewCraft({ workshops, onClose }: { workshops: Session["workshops"]; onClose: () => void }) {
  const go = useNavigate();
  const [form, fill] = useState({
    name: "",
    airframe: "quad X",
    board: "",
    receiver: "",
    transmitter: "",
    workshop: workshops[0]?.id ?? 0,
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
          <Box role="alert" sx={{ color: colours.oxide, minHeight: 20 }}>
            {make.error?.message}
          </Box>
        </DialogContent>
        <DialogActions>
          <Button variant="outlined" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit" variant="contained" disabled={make.isPending}>
            Put it on the bench
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
