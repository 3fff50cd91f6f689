import { defineConfig } from "vitest/config";

export default defineConfig({
  test: {
    environment: "node",
    include: ["src/**/*.test.{ts,tsx}"],
    setupFiles: ["src/testing/page.ts"],
    // Queries by role take their time on a busy machine.
    testTimeout: 60_000,
    // The one entry of the DOM library that node cannot read as it stands.
    server: { deps: { inline: [/@mui/] } },
  },
});
