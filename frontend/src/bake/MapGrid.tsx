import { Menu, MenuItem, Tooltip } from "@mui/material";
import { useQueries } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useStore } from "zustand";
import { api } from "../api/client";
import type { MeshMap, Sheet } from "../api/types";
import { bakery, bringPicture, choose, paintStraight, showMap, switchTouchUp } from "../state/bake";
import { take } from "../state/edits";
import { useDocument, useWorkshop } from "../state/hooks";
import { Check } from "../ui/Check";
import { FileInput } from "../ui/FileInput";
import { Segment, Segments } from "../ui/Segments";
import { Icon } from "../ui/icons";
import { accepted } from "../state/registries";

/** Mesh maps by sheets: a cell shows what is baked there; press it to look at it and touch it up. */
export function MapGrid() {
  const document = useDocument();
  const uid = useWorkshop((s) => s.uid) ?? "";
  const revision = useWorkshop((s) => s.project?.revision);
  const maps = useWorkshop((s) => s.registries?.bake.maps);
  const chosen = useStore(bakery, (s) => s.chosen);
  const source = useStore(bakery, (s) => s.source);
  const sheets = document?.sheets ?? [];
  const pictures = useQueries({
    queries: sheets.map((s) => ({
      queryKey: ["maps", uid, s.id, revision],
      queryFn: () => api.mapPictures(uid, s.id),
      placeholderData: (old: Record<string, string> | undefined) => old,
    })),
  });
  if (!document || !maps) return null;
  const cols = `34px minmax(140px, 180px) ${sheets.map(() => "104px").join(" ")} minmax(220px, 1fr)`;
  return (
    <section className="layers" aria-label="Mesh maps" style={{ "--cols": cols } as React.CSSProperties}>
      <MapBar />
      <div className="grid" role="table" aria-label="Mesh maps by sheets">
        <div className="gr head" role="row">
          <span className="c" role="columnheader">
            Bake
          </span>
          <span role="columnheader">Map</span>
          {sheets.map((s) => (
            <span key={s.id} className="c ell" role="columnheader">
              {s.name}
            </span>
          ))}
          <span role="columnheader">What it tells</span>
        </div>
        {maps.map((m) => {
          // What is painted by hand stands here once a sheet has it.
          if (m.by_hand && !sheets.some((s) => s.mesh_maps.some((x) => x.id === m.id))) return null;
          const off = source === "normal-map" && !m.from_normal;
          return (
            <div key={m.id} className={off ? "gr dim" : "gr"} role="row">
              <span className="c" role="cell">
                {!m.by_hand && (
                  <Tooltip title={off ? "A normal map says nothing about this" : `Bake ${m.name} with the button on the right`}>
                    <Check
                      aria-label={`Bake ${m.name}`}
                      disabled={off}
                      checked={chosen.includes(m.id) && !off}
                      onChange={(e) => choose(m.id, e.target.checked)}
                    />
                  </Tooltip>
                )}
              </span>
              <span className="name" role="cell">
                <span className="text">{m.name}</span>
              </span>
              {sheets.map((s, i) => (
                <MapCell key={s.id} sheet={s} map={m.id} name={m.name} picture={pictures[i]?.data?.[m.id]} />
              ))}
              <span className="quiet ell" role="cell">
                {m.hint}
              </span>
            </div>
          );
        })}
      </div>
    </section>
  );
}

const SOURCES: Record<MeshMap["source"], string> = {
  high: "from the high mesh",
  model: "from the model itself",
  "normal-map": "from the normal map",
  picture: "brought in as a picture",
  hand: "painted by hand",
};

function MapCell({ sheet, map, name, picture }: { sheet: Sheet; map: string; name: string; picture: string | undefined }) {
  const shown = useWorkshop((s) => s.sheet === sheet.id && s.target?.mesh_map === map);
  const touched = useWorkshop((s) => s.project?.painted.includes(`${sheet.id}/@touch-up/${map}`) ?? false);
  const entry = sheet.mesh_maps.find((m) => m.id === map);
  const title = entry
    ? `${name} of ${sheet.name}, ${SOURCES[entry.source]}${touched ? `; touched up${entry.touch_up ? "" : ", switched off"}` : ""}`
    : `${name} of ${sheet.name} is not baked yet`;
  return (
    <span className="c" role="cell">
      <Tooltip title={title}>
        <button
          className={`cell${shown ? (entry ? " target" : " looked") : ""}`}
          aria-label={`${name} of ${sheet.name}`}
          aria-pressed={shown}
          onClick={() => (map === "straight" ? void paintStraight(sheet.id) : showMap(map, sheet.id))}
        >
          {entry && picture ? <img src={picture} alt="" /> : <span className="dot" />}
          {touched && <span className={entry?.touch_up ? "src" : "src quiet"}>touch-up</span>}
        </button>
      </Tooltip>
    </span>
  );
}

/** What can be done with the map that is shown. */
function MapBar() {
  const map = useStore(bakery, (s) => s.shown);
  const sheet = useWorkshop((s) => s.project?.document.sheets.find((x) => x.id === s.sheet));
  const name = useWorkshop((s) => s.registries?.bake.maps.find((m) => m.id === map)?.name) ?? map;
  const touched = useWorkshop((s) => s.project?.painted.includes(`${s.sheet}/@touch-up/${map}`) ?? false);
  const input = useRef<HTMLInputElement>(null);
  const [normalY, setNormalY] = useState<"up" | "down">("up");
  const [asking, setAsking] = useState<HTMLElement | null>(null);
  if (!sheet) return null;
  const entry = sheet.mesh_maps.find((m) => m.id === map);
  const open = (y: "up" | "down"): void => {
    setNormalY(y);
    setAsking(null);
    input.current?.click();
  };
  return (
    <div className="lbar">
      <b className="gap-x">
        {name} <span className="quiet">of {sheet.name}</span>
      </b>
      {map !== "straight" && (
        <Tooltip title="Take a picture as this map, such as one baked elsewhere">
          <button
            className="lbtn line"
            aria-haspopup={map === "normal" ? "menu" : undefined}
            onClick={(e) => (map === "normal" ? setAsking(e.currentTarget) : open("up"))}
          >
            <Icon name="load" />
            Import image
          </button>
        </Tooltip>
      )}
      <Menu anchorEl={asking} open={asking !== null} onClose={() => setAsking(null)}>
        <MenuItem onClick={() => open("up")}>Made with Y up</MenuItem>
        <MenuItem onClick={() => open("down")}>Made with Y down</MenuItem>
      </Menu>
      <Tooltip title="Take this map and its touch-up away">
        <span>
          <button className="lbtn" disabled={!entry} onClick={() => void take((uid) => api.dropMap(uid, sheet.id, map))}>
            <Icon name="bin" />
            Remove
          </button>
        </span>
      </Tooltip>
      <span className="push" />
      {entry && touched && (
        <Segments label="Before or after touch-up">
          <Tooltip title="The map as it was baked">
            <Segment on={!entry.touch_up} onChoose={() => void switchTouchUp(sheet.id, map, false)}>
              Before
            </Segment>
          </Tooltip>
          <Tooltip title="The map with its touch-up, as masks and export see it">
            <Segment on={entry.touch_up} onChoose={() => void switchTouchUp(sheet.id, map, true)}>
              After
            </Segment>
          </Tooltip>
        </Segments>
      )}
      <FileInput
        input={input}
        accept={accepted("pictures")}
        label={`Picture for ${name}`}
        onFile={(file) => void bringPicture(sheet.id, map, file, normalY)}
      />
    </div>
  );
}
