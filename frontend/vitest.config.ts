import { defineConfig } from "vitest/config";

export default defineConfig({
  test: {
    environment: "node",
    include: ["src/**/*.test.{ts,tsx}"],
    setupFiles: ["src/testing/page.ts"],
    // The one entry of the DOM library that node cannot read as it stands.
    server: { deps: { inline: [/@mui/] } },
  },
});
