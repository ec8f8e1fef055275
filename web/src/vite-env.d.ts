/// <reference types="vite/client" />
declare module "@fontsource-variable/figtree";
declare module "@fontsource-variable/fraunces";
declare module "@fontsource/ibm-plex-mono/400.css";
declare module "@fontsource/ibm-plex-mono/500.css";
