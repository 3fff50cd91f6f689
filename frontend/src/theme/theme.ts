/** Two themes of one look: greys without chroma around pictures; verdigris means only "the next stroke changes this". */
import "@fontsource/atkinson-hyperlegible/400.css";
import "@fontsource/atkinson-hyperlegible/700.css";
import { createTheme, type Theme } from "@mui/material/styles";

export type Mode = "dark" | "light";

export function makeTheme(mode: Mode): Theme {
  const dark = mode === "dark";
  return createTheme({
    palette: {
      mode,
      primary: { main: dark ? "#d9d9d9" : "#2d2d2d", contrastText: dark ? "#161616" : "#ffffff" },
      secondary: { main: dark ? "#a6a6a6" : "#5b5b5b" },
      background: { default: dark ? "#1d1d1d" : "#d7d7d7", paper: dark ? "#2b2b2b" : "#f1f1f1" },
      text: { primary: dark ? "#ececec" : "#1b1b1b", secondary: dark ? "#b0b0b0" : "#4f4f4f" },
      divider: dark ? "#404040" : "#bdbdbd",
      error: { main: dark ? "#e07a66" : "#a83a26" },
      warning: { main: dark ? "#d9a441" : "#8a5d00" },
    },
    typography: { fontFamily: '"Atkinson Hyperlegible", system-ui, sans-serif', fontSize: 12.5, button: { textTransform: "none", fontWeight: 400 } },
    shape: { borderRadius: 6 },
    transitions: { create: () => "none" },
    components: {
      MuiButtonBase: { defaultProps: { disableRipple: true } },
      MuiButton: {
        defaultProps: { size: "small", color: "primary" },
        styleOverrides: { root: { minWidth: 0, padding: "3px 10px", fontSize: 12.5, lineHeight: "18px" } },
      },
      MuiTooltip: { defaultProps: { enterDelay: 400, disableInteractive: true, describeChild: true }, styleOverrides: { tooltip: { fontSize: 12, maxWidth: 280 } } },
      MuiMenuItem: { defaultProps: { dense: true }, styleOverrides: { root: { minHeight: 28, fontSize: 12.5 } } },
      MuiTextField: { defaultProps: { size: "small" } },
      MuiSelect: { defaultProps: { size: "small" } },
      MuiInputBase: { styleOverrides: { root: { fontSize: 12.5 } } },
      MuiSlider: {
        styleOverrides: {
          root: { height: 3, padding: "10px 0" },
          thumb: { width: 7, height: 15, borderRadius: 3, boxShadow: "0 0 0 2px var(--panel)", "&:hover, &.Mui-active": { boxShadow: "0 0 0 3px var(--line)" } },
          track: { border: 0 },
          rail: { opacity: 1, backgroundColor: "var(--rail)" },
        },
      },
      MuiDialog: { styleOverrides: { paper: { backgroundImage: "none" } } },
    },
  });
}
