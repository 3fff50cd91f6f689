/** Own icon strokes. Tools sit in an 18 px box, small signs in a 14 px box. */
import type { JSX } from "react";

const PATHS = {
  brush: ["18", "M15 3 9.3 9M8 8.6c-2.3.2-3.2 1.7-3.3 3.1-.1 1.1-.7 1.9-1.7 2.3 3.2 1 6.4-.2 6.7-3.3z"],
  erase: ["18", "M3.2 10.6 9.9 3.9a1 1 0 0 1 1.4 0l3 3a1 1 0 0 1 0 1.4l-5.8 5.8H6.4l-3.2-3.1zM6.6 7.2l4.4 4.4M10.5 14.6h4.6"],
  fill: ["18", "M3.4 3.8v9.4a1.4 1.4 0 0 0 1.4 1.4h8.4a1.4 1.4 0 0 0 1.4-1.4V3.8M3.4 8.6c1.9-1.5 3.7 1.4 5.6 0s3.7 1.4 5.6 0M7 11.6h4"],
  pick: ["18", "m9.4 5 3.6 3.6M10.6 6.2l2-2a1.5 1.5 0 0 1 2.2 2.2l-2 2M9.9 6.6 4.6 12l-.9 2.4 2.4-.9 5.3-5.4"],
  undo: ["18", "M6.6 4.4 3.6 7.4l3 3M3.8 7.4h6.6a3.3 3.3 0 0 1 0 6.6H7.6"],
  redo: ["18", "m11.4 4.4 3 3-3 3M14.2 7.4H7.6a3.3 3.3 0 0 0 0 6.6h2.8"],
  eye: ["18", "M2.4 9C4.2 6.2 6.4 4.8 9 4.8S13.8 6.2 15.6 9C13.8 11.8 11.6 13.2 9 13.2S4.2 11.8 2.4 9zM9 7.1a1.9 1.9 0 1 1 0 3.8 1.9 1.9 0 0 1 0-3.8z"],
  closed: ["18", "M2.8 7.4c1.7 2.5 3.7 3.7 6.2 3.7s4.5-1.2 6.2-3.7M5.2 10.2l-1.3 1.9M9 11.3v2.3M12.8 10.2l1.3 1.9"],
  lock: ["14", "M3.5 6.5h7v5h-7zM5 6.5V4.6a2 2 0 0 1 4 0v1.9"],
  unlock: ["14", "M3.5 6.5h7v5h-7zM5 6.5V4.6a2 2 0 0 1 3.8-.9"],
  paint: ["14", "M2 9.6c1.9-6.2 4.1 2.6 5.6-1.7S10.7 3 12 5.6"],
  filled: ["14", "M2 4a2 2 0 0 1 2-2h6a2 2 0 0 1 2 2v6a2 2 0 0 1-2 2H4a2 2 0 0 1-2-2zM2.5 7.5h9M2.5 9.5h9"],
  group: ["14", "M2 4.5V3.2A1.2 1.2 0 0 1 3.2 2h7.6A1.2 1.2 0 0 1 12 3.2v1.3M2 9.5v1.3A1.2 1.2 0 0 0 3.2 12h7.6a1.2 1.2 0 0 0 1.2-1.2V9.5M4 7h6"],
  down: ["9", "m1.5 3 3 3 3-3"],
  right: ["9", "m3 1.5 3 3-3 3"],
  plus: ["14", "M7 2.5v9M2.5 7h9"],
  minus: ["14", "M2.5 7h9"],
  copy: ["14", "M2 6a1.5 1.5 0 0 1 1.5-1.5H8A1.5 1.5 0 0 1 9.5 6v4.5A1.5 1.5 0 0 1 8 12H3.5A1.5 1.5 0 0 1 2 10.5zM5 2h5.5A1.5 1.5 0 0 1 12 3.5V9"],
  bin: ["14", "M2.5 4h9M5.2 4V2.3h3.6V4M3.6 4l.6 7.7h5.6l.6-7.7"],
  find: ["14", "M6 2.3a3.7 3.7 0 1 1 0 7.4 3.7 3.7 0 0 1 0-7.4zM8.9 8.9l3 3"],
  columns: ["14", "M2.5 2.5v9M7 2.5v9M11.5 2.5v9"],
  mirror: ["14", "M7 1.5v11M5 4 1.5 10H5zM9 4l3.5 6H9z"],
  here: ["16", "M8 .8a7.2 7.2 0 1 1 0 14.4A7.2 7.2 0 0 1 8 .8zM8 5.5a2.5 2.5 0 1 1 0 5 2.5 2.5 0 0 1 0-5z"],
  open: ["16", "M8 .8a7.2 7.2 0 1 1 0 14.4A7.2 7.2 0 0 1 8 .8z"],
  swap: ["14", "M3 4.5h7L8 2.5M11 9.5H4l2 2"],
  clock: ["18", "M9 2.8a6.2 6.2 0 1 1 0 12.4A6.2 6.2 0 0 1 9 2.8zM9 5.5V9l2.5 1.8"],
  help: ["18", "M6.7 6.9a2.3 2.3 0 1 1 3.3 2.1c-.7.4-1 .8-1 1.7M9 13.2v.1"],
  half: ["18", "M9 2.8a6.2 6.2 0 1 1 0 12.4zM9 2.8a6.2 6.2 0 1 0 0 12.4"],
  record: ["14", "M7 3a4 4 0 1 1 0 8 4 4 0 0 1 0-8z"],
  stop: ["14", "M3.5 3.5h7v7h-7z"],
  pen: ["14", "M2.5 11.5l.6-2.6L9.5 2.5l2 2-6.4 6.4z"],
  load: ["14", "M7 9.5v-7M4.3 5 7 2.3 9.7 5M2.5 9.5v2h9v-2"],
} as const;

export type IconName = keyof typeof PATHS;

export function Icon({ name, size }: { name: IconName; size?: number }): JSX.Element {
  const [box, d] = PATHS[name];
  const side = size ?? Number(box);
  return (
    <svg className="icon" width={side} height={side} viewBox={`0 0 ${box} ${box}`} aria-hidden="true">
      <path d={d} />
    </svg>
  );
}

export function Logo(): JSX.Element {
  return (
    <svg width="24" height="22" viewBox="0 0 24 22" aria-hidden="true">
      <rect x="1" y="13" width="15" height="8" rx="2.5" fill="var(--faint)" />
      <rect x="4.5" y="7" width="15" height="8" rx="2.5" fill="var(--quiet)" stroke="var(--panel)" strokeWidth="1.5" />
      <rect x="8" y="1" width="15" height="8" rx="2.5" fill="var(--text)" stroke="var(--panel)" strokeWidth="1.5" />
    </svg>
  );
}
