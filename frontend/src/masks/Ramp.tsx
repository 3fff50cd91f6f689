import type { Channel, ColourStop } from "../api/types";
import { fromHex, toHex } from "../state/colour";
import { PushButton } from "../ui/PushButton";
import { TextInput } from "../ui/TextInput";

/** Values along a ramp; stops are added in the widest gap and keep their order. */
export function Ramp({
  channel,
  ramp,
  fixed,
  onTry,
  onTake,
}: {
  channel: Pick<Channel, "kind">;
  ramp: readonly ColourStop[];
  fixed?: boolean;
  onTry: (ramp: ColourStop[]) => void;
  onTake: (ramp: ColourStop[]) => void;
}) {
  const stops = [...ramp].sort((a, b) => a.at - b.at);
  const shade = (v: readonly number[]): string =>
    toHex(
      channel.kind === "colour"
        ? v
        : channel.kind === "height"
          ? v
              .map((x) => (x + 1) / 2)
              .concat(
                v.map((x) => (x + 1) / 2),
                v.map((x) => (x + 1) / 2),
              )
              .slice(0, 3)
          : [v[0] ?? 0, v[0] ?? 0, v[0] ?? 0],
    );
  const put = (i: number, change: Partial<ColourStop>): ColourStop[] => stops.map((s, k) => (k === i ? { ...s, ...change } : s));
  const add = (): void => {
    const gaps = stops.slice(1).map((s, i) => s.at - (stops[i]?.at ?? 0));
    const widest = gaps.indexOf(Math.max(...gaps));
    const [a, b] = [stops[widest], stops[widest + 1]];
    if (a && b) onTake([...stops, { at: (a.at + b.at) / 2, value: a.value.map((v, k) => (v + (b.value[k] ?? v)) / 2) }]);
  };
  return (
    <div role="group" aria-label="Ramp">
      <div className="rampbar" style={{ background: `linear-gradient(90deg, ${stops.map((s) => `${shade(s.value)} ${s.at * 100}%`).join(", ")})` }} />
      {stops.map((s, i) => (
        <div className="prow" key={i}>
          {channel.kind === "colour" ? (
            <input
              type="color"
              aria-label={`Colour of stop ${i + 1}`}
              value={toHex(s.value)}
              onChange={(e) => onTry(put(i, { value: fromHex(e.target.value) ?? s.value }))}
              onBlur={(e) => onTake(put(i, { value: fromHex(e.target.value) ?? s.value }))}
            />
          ) : (
            <TextInput
              sx={{ width: 60 }}
              aria-label={`Value of stop ${i + 1}`}
              key={s.value[0]}
              defaultValue={(s.value[0] ?? 0).toFixed(2)}
              onBlur={(e) => {
                const v = Number(e.target.value);
                if (Number.isFinite(v) && v !== s.value[0]) onTake(put(i, { value: [Math.min(1, Math.max(channel.kind === "height" ? -1 : 0, v))] }));
              }}
              onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
            />
          )}
          {!fixed && (
            <>
              <input
                type="range"
                min={0}
                max={1}
                step={0.01}
                value={s.at}
                aria-label={`Place of stop ${i + 1}`}
                className="fills"
                onChange={(e) => onTry(put(i, { at: Number(e.target.value) }))}
                onPointerUp={(e) => onTake(put(i, { at: Number(e.currentTarget.value) }))}
                onKeyUp={(e) => onTake(put(i, { at: Number(e.currentTarget.value) }))}
              />
              <button
                className="iconbtn small"
                aria-label={`Remove stop ${i + 1}`}
                disabled={stops.length < 3}
                onClick={() => onTake(stops.filter((_, k) => k !== i))}
              >
                ×
              </button>
            </>
          )}
        </div>
      ))}
      {!fixed && stops.length < 16 && <PushButton onClick={add}>Add a stop</PushButton>}
    </div>
  );
}
