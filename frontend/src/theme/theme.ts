/** Two themes of one look: greys without chroma around pictures; verdigris means only "the next stroke changes this". */
import "@fontsource/atkinson-hyperlegible/400.css";
import "@fontsource/atkinson-hyperlegible/700.css";
import { createTheme, type Theme } from "@mui/material/styles";

export type Mode = "dark" | "light";

/** What stands in a row of a card or of a view's head. */
const ROW = {
  height: 22,
  flex: "none",
  borderRadius: 6,
  border: "1px solid var(--line)",
  fontSize: 12.5,
  lineHeight: "20px",
  whiteSpace: "nowrap",
} as const;

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
        styleOverrides: {
          root: { minWidth: 0, padding: "3px 10px", fontSize: 12.5, lineHeight: "18px" },
          outlined: {
            ...ROW,
            padding: "0 8px",
            gap: 6,
            color: "var(--text)",
            "&:hover": { background: "var(--raised)", borderColor: "var(--line)" },
          },
        },
      },
      MuiTooltip: {
        defaultProps: { enterDelay: 400, disableInteractive: true, describeChild: true },
        styleOverrides: { tooltip: { fontSize: 12, maxWidth: 280 } },
      },
      // What closes is gone at once: the next press is meant for what lies under it.
      MuiMenu: { defaultProps: { transitionDuration: 0 } },
      MuiPopover: { defaultProps: { transitionDuration: 0 } },
      MuiMenuItem: { defaultProps: { dense: true }, styleOverrides: { root: { minHeight: 28, fontSize: 12.5 } } },
      MuiToggleButton: {
        defaultProps: { size: "small" },
        styleOverrides: {
          root: {
            ...ROW,
            padding: "0 7px",
            gap: 5,
            color: "var(--quiet)",
            textTransform: "none",
            "&:hover": { background: "var(--raised)" },
            "&.Mui-selected, &.Mui-selected:hover": { background: "var(--on)", color: "var(--text)" },
            "&.Mui-disabled": { color: "var(--faint)", border: "1px solid var(--line)" },
            // A dot of a shape of its own, so that on and off are told apart without colour.
            "&.dotted::before": { content: '""', width: 7, height: 7, borderRadius: "50%", border: "1.4px solid currentColor" },
            "&.dotted.Mui-selected::before": { background: "currentColor" },
          },
        },
      },
      MuiToggleButtonGroup: { styleOverrides: { root: { flex: "none", height: 22 } } },
      MuiCheckbox: { defaultProps: { size: "small" }, styleOverrides: { root: { padding: 2 } } },
      MuiFormControlLabel: { styleOverrides: { root: { marginLeft: -2 }, label: { fontSize: 12.5 } } },
      MuiTextField: { defaultProps: { size: "small" } },
      MuiSelect: { defaultProps: { size: "small" } },
      MuiListSubheader: { styleOverrides: { root: { lineHeight: "26px", fontSize: 11.5, background: "inherit" } } },
      MuiInputBase: {
        styleOverrides: {
          root: { fontSize: 12.5, "&.field": { ...ROW, padding: "0 8px", background: "var(--sunk)" }, "&.field input": { padding: 0, height: 20 } },
        },
      },
      MuiOutlinedInput: {
        styleOverrides: {
          // As high as the buttons beside it, where it stands without a label of its own.
          root: {
            "&.row": { ...ROW, border: 0 },
            "&.row .MuiSelect-select.MuiInputBase-input": { padding: "0 26px 0 8px", minHeight: 0, lineHeight: "22px" },
            "&.row .MuiOutlinedInput-notchedOutline": { borderColor: "var(--line)" },
          },
        },
      },
      MuiSlider: {
        styleOverrides: {
          root: { height: 3, padding: "10px 0" },
          thumb: {
            width: 7,
            height: 15,
            borderRadius: 3,
            boxShadow: "0 0 0 2px var(--panel)",
            "&:hover, &.Mui-active": { boxShadow: "0 0 0 3px var(--line)" },
          },
          track: { border: 0 },
          rail: { opacity: 1, backgroundColor: "var(--rail)" },
        },
      },
      MuiDialog: { defaultProps: { transitionDuration: 0 }, styleOverrides: { paper: { backgroundImage: "none" } } },
    },
  });
}
