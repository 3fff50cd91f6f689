import { Tooltip } from "@mui/material";
import { useRef, type RefObject } from "react";
import { useStore } from "zustand";
import { api } from "../api/client";
import { bakery, bringCage, bringHigh, dropCage } from "../state/bake";
import type { Source } from "../state/bake";
import { take } from "../state/edits";
import { useDocument } from "../state/hooks";
import { PushButton } from "../ui/PushButton";
import { Segment, Segments } from "../ui/Segments";
import { Icon } from "../ui/icons";
import { accepted } from "../state/registries";

const SOURCES: [Source, string, string][] = [
  ["high", "High mesh", "Measure a more detailed mesh that lies where the model lies"],
  ["model", "Model", "Measure the model itself"],
  ["normal-map", "Normal map", "Without a high mesh: measure the relief of a normal map"],
];

function short(triangles: number): string {
  return triangles >= 1e6 ? `${(triangles / 1e6).toFixed(1)} M` : triangles >= 1000 ? `${Math.round(triangles / 1000)} k` : String(triangles);
}

/** What a bake measures. */
export function SourceCard() {
  const source = useStore(bakery, (s) => s.source);
  const meshes = useDocument()?.high_meshes ?? [];
  const cage = useDocument()?.cage_mesh ?? null;
  const input = useRef<HTMLInputElement>(null);
  const cageInput = useRef<HTMLInputElement>(null);
  return (
    <section className="card" aria-label="What is measured">
      <div className="chead">
        <h2>Measured</h2>
      </div>
      <div className="prow tall">
        <Segments label="Source">
          {SOURCES.map(([id, name, text]) => (
            <Tooltip key={id} title={text}>
              <Segment on={source === id} onChoose={() => bakery.setState({ source: id })}>
                {name}
              </Segment>
            </Tooltip>
          ))}
        </Segments>
      </div>
      {source === "high" && (
        <>
          {meshes.map((m) => (
            <div key={m.key} className="item">
              {m.name}
              <Tooltip title={`${m.triangles.toLocaleString()} triangles`}>
                <span className="count">{short(m.triangles)}</span>
              </Tooltip>
              <Tooltip title="Take this high mesh away; maps baked from it stay">
                <button className="iconbtn small" aria-label={`Remove ${m.name}`} onClick={() => void take((uid) => api.dropHigh(uid, m.key))}>
                  <Icon name="bin" />
                </button>
              </Tooltip>
            </div>
          ))}
          {!meshes.length && <p className="note">No high mesh yet. Without one the model itself is measured.</p>}
          {cage && (
            <div className="item">
              {cage.name} <span className="quiet">cage</span>
              <span className="count" />
              <Tooltip title="Take the cage away; rays leave along normals again">
                <button className="iconbtn small" aria-label={`Remove cage ${cage.name}`} onClick={() => void dropCage()}>
                  <Icon name="bin" />
                </button>
              </Tooltip>
            </div>
          )}
          <div className="prow">
            <Tooltip title="A more detailed mesh; several together are one">
              <PushButton onClick={() => input.current?.click()}>
                <Icon name="load" />
                Add high mesh
              </PushButton>
            </Tooltip>
            {meshes.length > 0 && (
              <Tooltip title="The model itself, grown: the same vertices in the same order. Rays come from it">
                <PushButton onClick={() => cageInput.current?.click()}>
                  <Icon name="load" />
                  {cage ? "Replace cage" : "Add cage"}
                </PushButton>
              </Tooltip>
            )}
          </div>
          <MeshInput input={cageInput} label="Cage mesh" onFiles={(files) => void bringCage(files)} />
          <MeshInput input={input} label="High mesh" onFiles={(files) => void bringHigh(files)} />
        </>
      )}
      {source === "normal-map" && (
        <p className="note">
          Curvature, an occlusion of hollows, and object normals come from the mesh map Normal, or from the normal map under the relief.
        </p>
      )}
    </section>
  );
}

/** A hidden choice of a mesh and what it needs beside it. */
function MeshInput({ input, label, onFiles }: { input: RefObject<HTMLInputElement | null>; label: string; onFiles: (files: File[]) => void }) {
  return (
    <input
      ref={input}
      type="file"
      hidden
      multiple
      accept={accepted("meshes")}
      aria-label={label}
      onChange={(e) => {
        const files = [...(e.target.files ?? [])];
        e.target.value = "";
        onFiles(files);
      }}
    />
  );
}
