import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { type FormEvent, useState } from "react";
import { Centred } from "../look/Centred";
import { colours } from "../look/colours";
import { Wordmark } from "../look/Wordmark";
import { useSignIn } from "./useSession";

export function SignIn() {
  const [username, setUsername] = useState("");
  const [password, setPassword] = useState("");
  const signIn = useSignIn();
  const submit = (event: FormEvent) => {
    event.preventDefault();
    signIn.mutate({ username, password });
  };
  return (
    <Centred>
      <Box
        component="form"
        onSubmit={submit}
        sx={{
          width: 340,
          p: 4,
          display: "grid",
          gap: 2,
          textAlign: "left",
          bgcolor: "background.paper",
          border: 1,
          borderColor: "divider",
          borderRadius: 2,
        }}
      >
        <Wordmark size={26} />
        <Typography sx={{ color: "text.secondary" }}>Follow the signal from thumb to craft, and prove each hop.</Typography>
        <Typography variant="h1" sx={{ fontSize: 17 }}>
          Sign in
        </Typography>
        <TextField
          label="Name"
          value={username}
          onChange={(event) => setUsername(event.target.value)}
          autoComplete="username"
          autoFocus
          required
        />
        <TextField
          label="Password"
          type="password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          autoComplete="current-password"
          required
        />
        <Box role="alert" sx={{ color: colours.oxide, minHeight: 20, fontSize: 13 }}>
          {signIn.error?.message}
        </Box>
        <Button type="submit" variant="contained" size="medium" disabled={signIn.isPending}>
          Sign in
        </Button>
      </Box>
    </Centred>
  );
}
