import { Button, Tooltip } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { chooseSheet } from "../state/hand";
import { runJob } from "../state/edits";
import { refresh } from "../state/following";
import { useDocument, useWorkshop } from "../state/hooks";
import { textured } from "../state/layers";
import { say } from "../state/messages";
import { Dropdown } from "../ui/Dropdown";
import { workshop } from "../state/workshop";
import { Segment, Segments } from "../ui/Segments";
import { Toggle } from "../ui/Toggle";

/** Paint taken along: from vertices to a sheet, or from a sheet to vertices. */
export function TransferCard() {
  const document = useDocument();
  const uid = useWorkshop((s) => s.uid) ?? "";
  const job = useWorkshop((s) => s.job);
  const [picked, setPicked] = useState<string | null>(null);
  const [out, setOut] = useState(true);
  const [flat, setFlat] = useState(false);
  const [measured, setMeasured] = useState<string | null>(null);
  const vertices = document?.sheets.find((s) => s.of === "vertices");
  const sheets = textured(document);
  const sheet = sheets.find((s) => s.id === picked) ?? sheets[0];
  const [from, to] = out ? [vertices, sheet] : [sheet, vertices];
  const { data } = useQuery({
    queryKey: ["loss", uid, from?.id, to?.id, vertices?.level, sheet?.resolution],
    queryFn: () => api.transferLoss(uid, from?.id ?? "", to?.id ?? ""),
    enabled: Boolean(from && to),
  });
  if (!vertices || !sheet || !from || !to) return null;
  const go = async (): Promise<void> => {
    const done = await runJob(() => api.transfer(uid, from.id, to.id, flat));
    await refresh();
    if (done?.state !== "done") return;
    chooseSheet(to.id);
    say(
      flat
        ? `What shows of ${from.name} is a layer in front on ${to.name}. Undo takes it off again.`
        : `The layers of ${from.name} are in front on ${to.name}, in a group. Undo takes them off again.`,
    );
  };
  const measure = async (): Promise<void> => {
    const done = await runJob(() => api.transferPreview(uid, from.id, to.id));
    if (done?.state !== "done") return;
    const { share, worst, faces } = done.result as { share: number; worst: number; faces: number[] };
    workshop.setState({ highlight: faces.length ? new Set(faces) : null });
    setMeasured(toldMeasure(share, worst));
  };
  return (
    <section aria-label="Take paint along">
      <h2>Take paint along</h2>
      <div className="prow">
        <Segments label="Which way paint goes">
          <Segment on={out} onChoose={() => setOut(true)}>
            Vertices to sheet
          </Segment>
          <Segment on={!out} onChoose={() => setOut(false)}>
            Sheet to vertices
          </Segment>
        </Segments>
      </div>
      {sheets.length > 1 && (
        <div className="prow">
          <span className="label">Sheet</span>
          <Dropdown label="Sheet of the trip" value={sheet.id} options={sheets} onChoose={setPicked} />
        </div>
      )}
      {data && <p className="note">{toldLoss(data.from_samples, data.to_samples, out)}</p>}
      <div className="prow apart">
        <Tooltip title="Make the trip there and back in memory, and mark on the model where base colour changes so that it shows">
          <Button disabled={job !== null} onClick={() => void measure()}>
            Show what is lost
          </Button>
        </Tooltip>
        <Tooltip title="One layer of paint with what shows, resampled; otherwise every layer comes along">
          <Toggle on={flat} onToggle={() => setFlat(!flat)}>
            Flattened
          </Toggle>
        </Tooltip>
      </div>
      {measured && <p className="note">{measured}</p>}
      <Tooltip title="Strokes and fills are laid again there, sharp; pictures are resampled. Everything arrives as one group, in one step of history.">
        <Button disabled={job !== null} onClick={() => void go()}>
          Take {flat ? "what shows" : "all layers"} of {from.name} to {to.name}
        </Button>
      </Tooltip>
    </section>
  );
}

/** What a trip there and back changes, in words. */
export function toldMeasure(share: number, worst: number): string {
  if (worst < 0.002) return "Nothing is lost of the base colour.";
  const most = `the most is ${(worst * 100).toFixed(worst < 0.1 ? 1 : 0)} % of the range`;
  if (share === 0) return `No change of base colour that shows; ${most}.`;
  return `Base colour changes so that it shows on ${(share * 100).toFixed(share < 0.1 ? 1 : 0)} % of what is painted, marked on the model; ${most}.`;
}

/** How much of the detail there is room for. */
export function toldLoss(from: number, to: number, out: boolean): string {
  const [source, goal] = out ? ["vertices", "texels"] : ["texels", "vertices"];
  const counts = `${from.toLocaleString()} ${source} to ${to.toLocaleString()} ${goal}`;
  if (to >= from) return `${counts}: on average ${(to / Math.max(from, 1)).toFixed(1)} for each, room for all of the detail.`;
  return `${counts}: on average ${(from / Math.max(to, 1)).toFixed(1)} become one, and finer detail is lost.`;
}
