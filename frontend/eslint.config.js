import boundaries from "eslint-plugin-boundaries";
import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

/** Rooms from the ground up: each may use those before it, and none uses one after it. */
const ROOMS = ["api", "state", "ui", "tools", "viewport", "paint", "masks", "adjust", "grid", "bake", "screens"];
/** Beside each other: neither uses the other. */
const APART = { masks: ["paint"], bake: ["grid"] };

const may = (from, to) => ({ from: { element: { type: from } }, allow: to.map((type) => ({ to: { element: { type } } })) });

export default tseslint.config(
  { ignores: ["src/api/schema.gen.ts"] },
  ...tseslint.configs.strict,
  { plugins: { "react-hooks": hooks }, rules: { "react-hooks/rules-of-hooks": "error", "react-hooks/exhaustive-deps": "error" } },
  { ...a11y.flatConfigs.recommended, files: ["src/**/*.tsx"] },
  {
    files: ["src/**/*.tsx"],
    rules: {
      // A field that a press on a name asked for is where the hand goes on.
      "jsx-a11y/no-autofocus": "off",
    },
  },
  {
    files: ["src/**/*.ts", "src/**/*.tsx"],
    plugins: { boundaries },
    settings: {
      "import/resolver": { node: { extensions: [".ts", ".tsx"] } },
      "boundaries/elements": [...ROOMS, "theme", "testing"].map((room) => ({ type: room, pattern: `src/${room}` })),
    },
    rules: {
      "boundaries/dependencies": [
        "error",
        {
          default: "disallow",
          policies: [
            ...ROOMS.map((room, i) => may(room, [...ROOMS.slice(0, i + 1).filter((r) => !APART[room]?.includes(r)), "testing"])),
            may("testing", ["api", "state", "testing"]),
            // State names the shape of the views and nothing of how they draw.
            { ...may("state", ["viewport"]), dependency: { kind: "type" } },
          ],
        },
      ],
    },
  },
);
