import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { colours, mono } from "../look/colours";

const KEYS: [string, string][] = [
  ["[  ]", "one hop back, one hop on"],
  ["N", "the next hop that is not proven"],
  ["F", "lay the findings open, and go to the next one, wherever it is"],
  ["P", "write the draft to the board"],
  ["R", "read the board back"],
  ["Shift R", "restart the board"],
  ["W A S D", "left gimbal, as long as the key is held"],
  ["arrow keys", "right gimbal, or the one that has the focus"],
  ["1 to 6", "flip the switch of that number on"],
  ["Shift 1 to 6", "flip it back"],
  ["X", "transmitter on or off"],
  ["B", "fold the bench away"],
  ["?", "this list"],
];

export function Shortcuts({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Dialog open={open} onClose={onClose} aria-labelledby="shortcuts">
      <DialogTitle id="shortcuts">Keyboard shortcuts</DialogTitle>
      <DialogContent>
        <table style={{ borderSpacing: "18px 6px", marginLeft: -18 }}>
          <tbody>
            {KEYS.map(([keys, does]) => (
              <tr key={keys}>
                <th scope="row" style={{ fontFamily: mono, fontWeight: 500, textAlign: "left", color: colours.verdigris }}>
                  {keys}
                </th>
                <td>{does}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </DialogContent>
    </Dialog>
  );
}
