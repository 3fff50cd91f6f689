import { Button, Dialog, DialogActions, DialogContent, DialogTitle, Tooltip } from "@mui/material";
import { useRef, useState } from "react";
import { useStore } from "zustand";
import type { Trip } from "../api/types";
import { useDocument, useSheet, useWorkshop } from "../state/hooks";
import { findLayer } from "../state/layers";
import { forgetTrip, land, lookAt, openOutside, outside, putFile, takeOut, watch } from "../state/outside";
import { Dropdown } from "../ui/Dropdown";
import { FileInput } from "../ui/FileInput";
import { PushButton } from "../ui/PushButton";
import { Toggle } from "../ui/Toggle";

const FORMATS = [
  { id: "png 16", name: "PNG, 16 bits" },
  { id: "png 8", name: "PNG, 8 bits" },
  { id: "tiff 16", name: "TIFF, 16 bits" },
  { id: "tiff 8", name: "TIFF, 8 bits" },
];

/** A map on its way to a program outside, and back. */
export function OutsideDialog() {
  const open = useStore(outside, (s) => s.open);
  return open ? <Opened /> : null;
}

function Opened() {
  const sheet = useSheet();
  const document = useDocument();
  const target = useWorkshop((s) => s.target);
  const layer = target?.sheet === sheet?.id ? findLayer(sheet ?? undefined, target?.layer ?? "") : undefined;
  const trips = useStore(outside, (s) => s.trips);
  const look = useStore(outside, (s) => s.look);
  const watching = useStore(outside, (s) => s.watching);
  const [channel, setChannel] = useState("base_color");
  const [what, setWhat] = useState<"all" | "layer">("all");
  const [format, setFormat] = useState("png 16");
  const [material, setMaterial] = useState("all");
  const materials = useWorkshop((s) => s.model?.materials) ?? [];
  const only = material === "all" ? null : Number(material);
  if (!sheet || !document) return null;
  const start = (): void => {
    const [kind, bits] = format.split(" ");
    void takeOut(sheet.id, channel, what === "layer" ? (layer?.id ?? null) : null, kind as "png" | "tiff", Number(bits) as 8 | 16);
  };
  const folder = trips[0]?.folder;
  return (
    <Dialog open onClose={() => openOutside(false)} maxWidth="md" fullWidth aria-labelledby="outside">
      <DialogTitle id="outside" sx={{ fontSize: 15, fontWeight: 700, paddingBottom: 1 }}>
        Change a map in a program outside
      </DialogTitle>
      <DialogContent>
        <div className="prow">
          <Dropdown label="Channel to take out" value={channel} options={document.channels} onChoose={setChannel} />
          <Dropdown
            label="Of which layers"
            value={what}
            options={[
              { id: "all", name: "All layers" },
              ...(layer && layer.kind !== "adjust" ? [{ id: "layer", name: `Only ${layer.name}, with its alpha` }] : []),
            ]}
            onChoose={(id) => setWhat(id as "all" | "layer")}
          />
          <Dropdown label="File format" value={format} options={FORMATS} onChoose={setFormat} />
          <Tooltip title="Write it into the project’s folder for programs outside, with its UV wire and island ids beside it">
            <PushButton onClick={start}>Take {sheet.name} out</PushButton>
          </Tooltip>
        </div>
        {folder && (
          <p className="note">
            The folder: <code className="path-told">{folder}</code>
          </p>
        )}
        {trips.map((t) => (
          <Row key={t.id} trip={t} material={only} />
        ))}
        {!trips.length && (
          <p className="note">Nothing is outside yet. What comes back is laid over the old: only what was changed there, nothing is lost here.</p>
        )}
        {trips.length > 0 && materials.length > 1 && (
          <div className="prow">
            <Dropdown
              label="Bring back on"
              value={material}
              options={[{ id: "all", name: "All materials" }, ...materials.map((name, i) => ({ id: String(i), name: `${name} only` }))]}
              onChoose={setMaterial}
            />
          </div>
        )}
        {look && <Look material={only} />}
      </DialogContent>
      <DialogActions>
        <Tooltip title="As long as this window is open, each file is laid as soon as it is saved">
          <Toggle on={watching} onToggle={() => watch(!watching)}>
            Watch the folder
          </Toggle>
        </Tooltip>
        <span className="push" />
        <Button onClick={() => openOutside(false)}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}

function Row({ trip, material }: { trip: Trip; material: number | null }) {
  const file = useRef<HTMLInputElement>(null);
  return (
    <div className="trip" role="group" aria-label={trip.file}>
      <b className="ell grow">{trip.file}</b>
      <span className="quiet">
        {trip.sheet_name} · {trip.layer_name || "all layers"} · {trip.channel_name} · {trip.side}² · {trip.bits} bits · {trip.colour_space}
      </span>
      <span className={trip.changed ? "saved-since" : "quiet"}>{trip.changed ? "saved since" : "as it was sent"}</span>
      <Tooltip title="What it has otherwise than what was sent, before it lands">
        <PushButton onClick={() => void lookAt(trip.id, false, material)}>Look</PushButton>
      </Tooltip>
      <Tooltip title="Lay what was changed as a layer over the old">
        <PushButton onClick={() => void land(trip.id, false, material)}>Bring back</PushButton>
      </Tooltip>
      <Tooltip title="A picture from elsewhere, in place of the one in the folder">
        <PushButton onClick={() => file.current?.click()}>From a file…</PushButton>
      </Tooltip>
      <FileInput input={file} accept=".png,.tif,.tiff" label={`Picture for ${trip.file}`} onFile={(chosen) => void putFile(trip.id, chosen)} />
      <Tooltip title="Take the files away; what came back stays">
        <PushButton aria-label={`Forget ${trip.file}`} onClick={() => void forgetTrip(trip.id)}>
          ×
        </PushButton>
      </Tooltip>
    </div>
  );
}

function Look({ material }: { material: number | null }) {
  const look = useStore(outside, (s) => s.look);
  if (!look) return null;
  const { found, trouble, trip } = look;
  if (trouble)
    return (
      <div role="status" className="outside-look">
        <p className="bad-text">{trouble}</p>
        {trouble.includes("resampled") && (
          <div className="prow">
            <PushButton onClick={() => void lookAt(trip, true, material)}>Look at it resampled</PushButton>
            <PushButton onClick={() => void land(trip, true, material)}>Bring it back resampled</PushButton>
          </div>
        )}
      </div>
    );
  if (!found) return <p className="note">Looking…</p>;
  return (
    <div className="outside-look" role="group" aria-label="What differs">
      <img src={found.picture} alt="The map that came back, with what differs marked" />
      <div className="stack">
        <b>
          {found.changed
            ? `${found.changed.toLocaleString()} of ${found.covered.toLocaleString()} texels differ (${((100 * found.changed) / found.covered).toFixed(found.changed * 100 < found.covered ? 2 : 0)} %)`
            : "Nothing differs from what was sent"}
        </b>
        {found.told.map((t) => (
          <p className="note" key={t}>
            {t}
          </p>
        ))}
        {found.changed > 0 && <PushButton onClick={() => void land(trip, false, material)}>Bring it back as a layer</PushButton>}
      </div>
    </div>
  );
}
