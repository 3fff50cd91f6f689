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
import { Segment, Segments } from "../ui/Segments";

/** Paint taken along: from vertices to a sheet, or from a sheet to vertices. */
export function TransferCard() {
  const document = useDocument();
  const uid = useWorkshop((s) => s.uid) ?? "";
  const job = useWorkshop((s) => s.job);
  const [picked, setPicked] = useState<string | null>(null);
  const [out, setOut] = useState(true);
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
    const done = await runJob(() => api.transfer(uid, from.id, to.id));
    await refresh();
    if (done?.state !== "done") return;
    chooseSheet(to.id);
    say(`The layers of ${from.name} are in front on ${to.name}, in a group. Undo takes them off again.`);
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
      <Tooltip title="Strokes and fills are laid again there, sharp; pictures are resampled. Everything arrives as one group, in one step of history.">
        <Button disabled={job !== null} onClick={() => void go()}>
          Take all layers of {from.name} to {to.name}
        </Button>
      </Tooltip>
    </section>
  );
}

/** How much of the detail there is room for. */
export function toldLoss(from: number, to: number, out: boolean): string {
  const [source, goal] = out ? ["vertices", "texels"] : ["texels", "vertices"];
  const counts = `${from.toLocaleString()} ${source} to ${to.toLocaleString()} ${goal}`;
  if (to >= from) return `${counts}: on average ${(to / Math.max(from, 1)).toFixed(1)} for each, room for all of the detail.`;
  return `${counts}: on average ${(from / Math.max(to, 1)).toFixed(1)} become one, and finer detail is lost.`;
}
