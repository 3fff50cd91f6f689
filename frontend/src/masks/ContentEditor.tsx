import { Tooltip } from "@mui/material";
import { useEffect, useRef, useState } from "react";
import type { Channel, ChannelUse, Content, Layer, Pattern } from "../api/types";
import { sync } from "../state/following";
import { useWorkshop } from "../state/hooks";
import { setPart } from "../state/layerActions";
import { layerEdit, partIn } from "../state/layers";
import { forgetTrial, masks, tryEdit } from "../state/masks";
import { workshop } from "../state/workshop";
import { PushButton } from "../ui/PushButton";
import { Segment, Segments } from "../ui/Segments";
import { FilePicture } from "./FilePicture";
import { Ramp } from "./Ramp";
import { ProjectionControls } from "./ProjectionControls";
import { ImageChoice } from "./choices";
import { ControlRow } from "./controls";
import type { Values } from "./controls";

interface Props {
  layer: Layer;
  channel: Channel;
  /** What was there when the editor opened: what the imported file laid can be come back to. */
  first: Content | null;
  onValue: () => void;
  onClose: () => void;
}

function kindOfPattern(pattern: Pattern): string {
  return "basis" in pattern ? "noise" : "form" in pattern ? "weave" : "spots";
}

/** Contents with an editor of their own here; all others are laid out from their controls. */
const OWN_EDITOR = new Set<string>(["image", "pattern", "blend", "file", "vertex-colours"]);

/** A picture, a pattern through a ramp, or two values mixed by noise, as what a fill lays in a channel. */
export function ContentEditor({ layer, channel, first, onValue, onClose }: Props) {
  const stack = useWorkshop((s) => s.registries?.stack);
  const use = partIn(layer, channel.id);
  const plain = use.value ?? channel.start;
  const other = plain.map((v) => (channel.kind === "height" ? v + 0.3 : v > 0.5 ? v * 0.6 : v * 0.6 + 0.4));
  const [content, setContent] = useState<Content>(
    use.content ?? {
      kind: "pattern",
      pattern: stack?.first_patterns.noise as Pattern,
      ramp: [
        { at: 0, value: [...plain] },
        { at: 1, value: other },
      ],
    },
  );
  const own =
    first?.kind === "file" ? { name: "File", content: first } : first?.kind === "vertex-colours" ? { name: "Vertex colours", content: first } : null;
  const dialog = useRef<HTMLDivElement>(null);
  useEffect(() => dialog.current?.focus(), []);
  const pictured = content.kind === "image";
  useEffect(() => {
    masks.setState({ fill: pictured ? { layer: layer.id, channel: channel.id } : null });
    return () => masks.setState({ fill: null });
  }, [pictured, layer.id, channel.id]);
  if (!stack) return null;
  const uses = (next: Content): Partial<ChannelUse> => ({
    on: true,
    content: next,
    ...(channel.kind === "height" && !use.blend ? { blend: "height-add" } : {}),
  });
  const attempt = (next: Content): void => {
    setContent(next);
    const { sheet } = workshop.getState();
    const values = { channels: { ...layer.channels, [channel.id]: { ...use, ...uses(next) } } };
    if (sheet) tryEdit(sheet, layerEdit(sheet, layer.id, values));
  };
  const take = (next: Content): void => {
    forgetTrial();
    setContent(next);
    void setPart(layer, channel.id, uses(next), `${channel.name} of ${layer.name}`);
  };
  const become = (kind: string): void => {
    if (kind === "value") {
      forgetTrial();
      void setPart(layer, channel.id, { content: null }, `${channel.name} of ${layer.name}`).then(() => sync());
      return onValue();
    }
    const noise = stack.first_patterns.noise as Pattern;
    if (kind === "image") take({ kind: "image", image: null, projection: stack.projection });
    else if (kind === "pattern")
      take({
        kind: "pattern",
        pattern: noise,
        ramp: [
          { at: 0, value: [...plain] },
          { at: 1, value: other },
        ],
      });
    else if (kind === "blend") take({ kind: "blend", first: [...plain], second: other, noise } as Content);
    else if (stack.first_contents[kind]) take(stack.first_contents[kind] as Content);
  };
  return (
    <div ref={dialog} tabIndex={-1} role="dialog" aria-label={`${channel.name} of ${layer.name}`} className="content">
      <div className="prow">
        <Segments label="What the fill lays">
          {own && (
            <Tooltip title="As the imported file laid it">
              <Segment on={content.kind === own.content.kind} onChoose={() => take(own.content)}>
                {own.name}
              </Segment>
            </Tooltip>
          )}
          {stack.contents.map((k) => (
            <Tooltip key={k.id} title={k.hint}>
              <Segment on={content.kind === k.id} onChoose={() => become(k.id)}>
                {k.name}
              </Segment>
            </Tooltip>
          ))}
        </Segments>
      </div>
      {stack.contents
        .filter((k) => k.id === content.kind && !OWN_EDITOR.has(k.id))
        .flatMap((k) => k.controls)
        .map((c) => (
          <ControlRow
            key={c.id}
            control={c}
            values={content as unknown as Values}
            owner={{ id: layer.id, kind: content.kind }}
            onTry={(change) => attempt({ ...content, ...change } as Content)}
            onTake={(change) => take({ ...content, ...change } as Content)}
          />
        ))}
      {content.kind === "unknown" && (
        <p className="note">“{content.of}” comes from a plug-in that is not installed here. It is kept, but has no effect.</p>
      )}
      {content.kind === "file" && <FilePicture content={content} onTake={take} />}
      {content.kind === "vertex-colours" && <p className="note">The model’s vertex colours, even between its vertices.</p>}
      {content.kind === "image" && (
        <>
          <ImageChoice
            control={{ id: "image", name: "Picture", hint: "A picture of the project", kind: "image", low: 0, high: 1, choices: [], log: false }}
            values={content as unknown as Values}
            onTake={(c) => take({ ...content, ...c })}
          />
          <ProjectionControls
            value={content.projection}
            onTry={(projection) => attempt({ ...content, projection })}
            onTake={(projection) => take({ ...content, projection })}
          />
        </>
      )}
      {content.kind === "pattern" && (
        <>
          <Ramp
            channel={channel}
            ramp={content.ramp}
            onTry={(ramp) => attempt({ ...content, ramp } as Content)}
            onTake={(ramp) => take({ ...content, ramp } as Content)}
          />
          <div className="prow">
            <span className="label">Pattern</span>
            <Segments label="Pattern">
              {stack.patterns.map((p) => (
                <Tooltip key={p.id} title={p.hint}>
                  <Segment
                    on={kindOfPattern(content.pattern) === p.id}
                    onChoose={() => take({ ...content, pattern: stack.first_patterns[p.id] as Pattern })}
                  >
                    {p.name}
                  </Segment>
                </Tooltip>
              ))}
            </Segments>
          </div>
          <PatternControls
            pattern={content.pattern}
            onTry={(pattern) => attempt({ ...content, pattern })}
            onTake={(pattern) => take({ ...content, pattern })}
          />
        </>
      )}
      {content.kind === "blend" && (
        <>
          <Ramp
            channel={channel}
            ramp={[
              { at: 0, value: content.first },
              { at: 1, value: content.second },
            ]}
            fixed
            onTry={(r) => attempt({ ...content, first: r[0]?.value ?? content.first, second: r[1]?.value ?? content.second })}
            onTake={(r) => take({ ...content, first: r[0]?.value ?? content.first, second: r[1]?.value ?? content.second })}
          />
          <PatternControls
            pattern={content.noise}
            onTry={(noise) => attempt({ ...content, noise } as Content)}
            onTake={(noise) => take({ ...content, noise } as Content)}
          />
        </>
      )}
      <div className="prow">
        <span className="push" />
        <PushButton onClick={onClose}>Done</PushButton>
      </div>
    </div>
  );
}

function PatternControls({ pattern, onTry, onTake }: { pattern: Pattern; onTry: (p: Pattern) => void; onTake: (p: Pattern) => void }) {
  const kind = useWorkshop((s) => s.registries?.stack.patterns.find((p) => p.id === kindOfPattern(pattern)));
  return (
    <>
      {kind?.controls.map((c) => (
        <ControlRow
          key={c.id}
          control={c}
          values={pattern as unknown as Values}
          owner={{ id: "pattern", kind: kind.id }}
          onTry={(change) => onTry({ ...pattern, ...change } as Pattern)}
          onTake={(change) => onTake({ ...pattern, ...change } as Pattern)}
        />
      ))}
    </>
  );
}
