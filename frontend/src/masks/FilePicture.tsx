import { Tooltip } from "@mui/material";
import type { Content } from "../api/types";
import { Segment, Segments } from "../ui/Segments";
import { ImageChoice } from "./choices";
import type { Values } from "./controls";

type Laid = Extract<Content, { kind: "file" }>;

const PARTS: readonly [Laid["part"], string, string][] = [
  ["rgb", "Colour", "All of the picture; its lightness in a channel of one number"],
  ["r", "Red", "The picture’s red alone"],
  ["g", "Green", "The picture’s green alone"],
  ["b", "Blue", "The picture’s blue alone"],
  ["a", "Alpha", "The picture’s alpha alone"],
];

/** A picture that lies as the imported file lays it: which one, and which part of it. */
export function FilePicture({ content, onTake }: { content: Laid; onTake: (next: Laid) => void }) {
  return (
    <>
      <ImageChoice
        control={{
          id: "image",
          name: "Picture",
          hint: "It lies as the file laid the one it had",
          kind: "image",
          low: 0,
          high: 1,
          choices: [],
          log: false,
        }}
        values={content as unknown as Values}
        onTake={(c) => c.image != null && onTake({ ...content, ...c } as Laid)}
      />
      <div className="prow">
        <span className="label">Part</span>
        <Segments label="Part of the picture">
          {PARTS.map(([id, name, hint]) => (
            <Tooltip key={id} title={hint}>
              <Segment on={content.part === id} onChoose={() => onTake({ ...content, part: id })}>
                {name}
              </Segment>
            </Tooltip>
          ))}
        </Segments>
      </div>
    </>
  );
}
