import { Button, MenuItem, TextField } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { api } from "../api/client";
import type { Sheet } from "../api/types";
import { runJob } from "../state/edits";
import { accept, refresh } from "../state/following";
import { chooseSheet } from "../state/hand";
import { useWorkshop } from "../state/hooks";
import { say } from "../state/messages";
import { accepted } from "../state/registries";
import { workshop } from "../state/workshop";
import { FileInput } from "../ui/FileInput";
import { PushButton } from "../ui/PushButton";
import { chosen } from "../ui/dialogs";
import { SheetAlpha } from "./SheetAlpha";

/** Whether a fill left anything out: texels that no layer has painted in base colour. */
function Unpainted({ uid, sheet }: { uid: string; sheet: string }) {
  const revision = useWorkshop((s) => s.project?.revision);
  const { data } = useQuery({ queryKey: ["unpainted", uid, sheet, revision], queryFn: () => api.unpainted(uid, sheet) });
  if (!data) return null;
  if (!data.unpainted) return <div className="note">Every texel is painted.</div>;
  return (
    <PushButton onClick={() => workshop.setState({ highlight: new Set(data.faces) })}>
      {data.unpainted.toLocaleString()} texels unpainted: show where
    </PushButton>
  );
}

/** A sheet's numbers, its size, and what was supplied for it. */
export function SheetEntry({ sheet }: { sheet: Sheet }) {
  const facts = useWorkshop((s) => s.model?.sheets.find((x) => x.id === sheet.id));
  const resolutions = useWorkshop((s) => s.registries?.resolutions);
  const current = useWorkshop((s) => s.sheet === sheet.id);
  const uid = useWorkshop((s) => s.uid) ?? "";
  const input = useRef<HTMLInputElement>(null);
  const resize = async (side: number): Promise<void> => {
    const job = await runJob(() => api.resolution(uid, sheet.id, side));
    await refresh();
    workshop.setState({ model: await api.model(uid) });
    if (job?.state === "done") say(`${sheet.name} is now ${side} × ${side}; its strokes were painted again.`);
  };
  const bring = async (file: File): Promise<void> => {
    const y = await chosen(
      "Which way does the normal map's Y point?",
      "The program that made it says so. With the wrong one, relief looks pressed in where it should stand out.",
      [
        { id: "down", label: "Y points down" },
        { id: "up", label: "Y points up" },
      ],
    );
    if (y === null) return;
    const form = new FormData();
    form.append("file", file, file.name);
    form.append("y", y);
    try {
      accept(await api.bringNormalMap(uid, sheet.id, form));
    } catch (error) {
      say((error as Error).message, true);
    }
  };
  return (
    <div className={current ? "finding sheet current" : "finding sheet"}>
      <button className="item flush" onClick={() => chooseSheet(sheet.id)} aria-label={`Show sheet ${sheet.name} ${facts?.tile ?? ""}`}>
        <b>{sheet.name}</b> <span className="count">{facts?.tile}</span>
      </button>
      {facts && (
        <div className="note">
          {facts.faces.toLocaleString()} faces · {facts.islands} islands · {facts.covered.toLocaleString()} texels · {facts.density.toFixed(0)} per
          unit
        </div>
      )}
      <Unpainted uid={uid} sheet={sheet.id} />
      <div className="prow apart">
        <TextField select label="Resolution" value={sheet.resolution} onChange={(e) => void resize(Number(e.target.value))} sx={{ width: 130 }}>
          {resolutions?.map((r) => (
            <MenuItem key={r} value={r}>
              {r} × {r}
            </MenuItem>
          ))}
        </TextField>
        {sheet.normal_map || sheet.normal_pictures.length ? (
          <Button
            onClick={() =>
              void api
                .dropNormalMap(uid, sheet.id)
                .then(accept)
                .catch((e: Error) => say(e.message, true))
            }
          >
            Take normal map away
          </Button>
        ) : (
          <Button onClick={() => input.current?.click()}>Import normal map</Button>
        )}
        <FileInput input={input} accept={accepted("pictures")} label={`Normal map for ${sheet.name}`} onFile={(file) => void bring(file)} />
      </div>
      <SheetAlpha sheet={sheet} />
    </div>
  );
}
