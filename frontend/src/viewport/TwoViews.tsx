import type { ReactNode } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { SideBySide } from "./SideBySide";

/** The 3D view beside the flat sheet over a grid, all of them resizable by hand. `share`: height of the views at first. */
export function TwoViews({ share, grid, children }: { share: string; grid: string; children: ReactNode }) {
  return (
    <Group orientation="vertical" style={{ flex: 1, minHeight: 0 }}>
      <Panel defaultSize={share} minSize="25%">
        <SideBySide share="58%" />
      </Panel>
      <Separator className="handle-y" aria-label={`Height of the ${grid}`} />
      <Panel minSize="15%">{children}</Panel>
    </Group>
  );
}
