/** Both views on one canvas and one graphics context, so that they share textures. Draws only when something changed. */
import * as THREE from "three";
import { acceleratedRaycast, computeBoundsTree, disposeBoundsTree } from "three-mesh-bvh";
import type { Binary } from "../api/client";
import { busy } from "../api/idle";
import type { Camera, GeometryHeader, SheetGeometry } from "../api/types";
import { textureOf } from "../state/textureNames";
import type { ViewMode } from "../state/textureNames";
import { litMaterial, studioScene } from "./materials";
import type { OverUniforms } from "./materials";
import { FlatPan, Orbit } from "./navigation";
import { type SheetObjects, sheetObjects, withoutFaces } from "./sheetObjects";
import { discard, shellMeshes } from "./shell";
import type { Shell } from "./shell";
import { OtherLook } from "./otherLook";
import type { LookTile } from "./otherLook";
import { SheetTextures } from "./textures";
import { type FlatPlace, flatPlace, LayoutMaterial, unfoldTo } from "./unfold";
import type { VertexUniforms } from "./vertexMaterials";

THREE.BufferGeometry.prototype.computeBoundsTree = computeBoundsTree;
THREE.BufferGeometry.prototype.disposeBoundsTree = disposeBoundsTree;
THREE.Mesh.prototype.raycast = acceleratedRaycast;

export interface Look {
  mode: ViewMode;
  channel: string;
  lightDeg: number;
  wire: boolean;
  flatSheet: string | null;
  hiddenParts: number[];
  hiddenFaces: ReadonlySet<number> | null;
  highlight: ReadonlySet<number> | null;
  suspects: boolean;
  /** A mask shown over what is there. */
  over: string | null;
  maskSheet: string | null;
  /** Whether vertex colours multiply the base colour. */
  tinted: boolean;
  /** How far the model is unfolded into its layout, 0–1. */
  unfold: number;
}

export interface SurfaceHit {
  position: THREE.Vector3;
  normal: THREE.Vector3;
  sheet: string;
}

const SEAM = new THREE.LineBasicMaterial({ color: 0xf2b134, depthTest: false, transparent: true, opacity: 0.9, toneMapped: false });
const MARK = new THREE.MeshBasicMaterial({
  color: 0xd9a441,
  transparent: true,
  opacity: 0.75,
  depthTest: true,
  side: THREE.DoubleSide,
  polygonOffset: true,
  polygonOffsetFactor: -2,
});

/** A room of soft cards needs no faces of 256 pixels: without a graphics card those take five seconds of every start. */
class SmallSurround extends THREE.PMREMGenerator {
  _setSize(): void {
    (this as unknown as { _cubeSize: number })._cubeSize = 64;
  }
}

export class Stage {
  readonly orbit = new Orbit();
  readonly pan = new FlatPan();
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly flatScene = new THREE.Scene();
  private readonly flatCamera = new THREE.OrthographicCamera(0, 1, 0, 1, -10, 10);
  private readonly light = new THREE.DirectionalLight(0xffffff, 2.4);
  private readonly sheets = new Map<string, SheetObjects>();
  private readonly board: THREE.Mesh;
  private solidView: HTMLElement | null = null;
  private flatView: HTMLElement | null = null;
  private frame = 0;
  private release: (() => void) | null = null;
  private bounds: GeometryHeader | null = null;
  private marks: THREE.Group | null = null;
  private readonly flatMarks = new Map<string, THREE.Mesh>();
  private seamLines: THREE.LineSegments | null = null;
  private shells = new Map<string, Shell>();
  private look: Look = {
    mode: "lit",
    channel: "base_color",
    lightDeg: 40,
    wire: true,
    flatSheet: null,
    hiddenParts: [],
    hiddenFaces: null,
    highlight: null,
    suspects: false,
    over: null,
    maskSheet: null,
    tinted: false,
    unfold: 0,
  };
  private flatPlace: FlatPlace | null = null;
  /** Other looks at the sheets, by name and sheet. */
  private readonly looks = new Map<string, Map<string, OtherLook>>();
  private readonly panes = new Map<HTMLElement, string | null>();
  private split: { look: string; share: number } | null = null;
  private readonly layout = new LayoutMaterial();
  private readonly watcher = new ResizeObserver(() => this.draw());
  private fitted = false;
  private dark = true;
  /** Called after each drawn frame, for overlays that follow the camera. */
  readonly onDrawn = new Set<() => void>();

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true, powerPreference: "high-performance" });
    this.renderer.setScissorTest(true);
    this.renderer.toneMapping = THREE.NeutralToneMapping;
    this.renderer.shadowMap.enabled = true;
    this.renderer.shadowMap.autoUpdate = false;
    const pmrem = new SmallSurround(this.renderer);
    this.scene.environment = pmrem.fromScene(studioScene(), 0, 0.1, 30).texture;
    this.scene.environmentIntensity = 0.8;
    pmrem.dispose();
    this.light.castShadow = true;
    this.light.shadow.mapSize.set(1024, 1024);
    this.light.shadow.bias = -0.0006;
    this.light.shadow.normalBias = 0.012;
    this.scene.add(this.light, this.light.target);
    this.board = new THREE.Mesh(
      new THREE.PlaneGeometry(1, 1),
      new THREE.MeshBasicMaterial({ color: 0x1f1f1f, toneMapped: false, side: THREE.DoubleSide }),
    );
    this.board.position.set(0.5, 0.5, -1);
    this.flatScene.add(this.board);
    this.watcher.observe(canvas);
  }

  dispose(): void {
    cancelAnimationFrame(this.frame);
    this.release?.();
    this.watcher.disconnect();
    this.clear();
    this.renderer.dispose();
  }

  setTheme(dark: boolean): void {
    this.dark = dark;
    this.draw();
  }

  /** Tell which elements the views fill; null when a screen goes away. */
  attach(kind: "solid" | "flat", element: HTMLElement | null): void {
    const old = kind === "solid" ? this.solidView : this.flatView;
    if (old) this.watcher.unobserve(old);
    if (kind === "solid") this.solidView = element;
    else {
      this.flatView = element;
      this.fitted = false;
    }
    if (element) this.watcher.observe(element);
    this.draw();
  }

  /** Show a look in an element of its own, beside the others; null is what is. Gives the way back. */
  attachPane(look: string | null, element: HTMLElement): () => void {
    this.panes.set(element, look);
    this.watcher.observe(element);
    this.draw();
    return () => {
      this.panes.delete(element);
      this.watcher.unobserve(element);
      this.draw();
    };
  }

  /** Show a look in the left share of both views; null stops. */
  setSplit(look: string | null, share: number): void {
    this.split = look === null ? null : { look, share };
    this.draw();
  }

  /** Take what a look at a sheet has otherwise than what is. */
  putLook(name: string, sheet: string, tiles: ReadonlyMap<string, readonly LookTile[]>): void {
    const entry = this.sheets.get(sheet);
    if (!entry?.textures) return;
    const of = this.looks.get(name) ?? new Map<string, OtherLook>();
    this.looks.set(name, of);
    const look = of.get(sheet) ?? new OtherLook(entry);
    of.set(sheet, look);
    for (const [texture, list] of tiles) look.take(texture, list);
    this.draw();
  }

  dropLook(name: string): void {
    for (const look of this.looks.get(name)?.values() ?? []) look.dispose();
    this.looks.delete(name);
    this.draw();
  }

  hasLook(name: string): boolean {
    return this.looks.has(name);
  }

  /** Draw with a look's materials; null is what is. */
  private dressed(name: string | null, work: () => void): void {
    const back = name === null ? [] : [...(this.looks.get(name)?.values() ?? [])].map((look) => look.dress(this.look));
    work();
    for (const undress of back) undress();
  }

  private clear(): void {
    for (const name of [...this.looks.keys()]) this.dropLook(name);
    for (const s of this.sheets.values()) {
      s.mesh.geometry.disposeBoundsTree?.();
      for (const o of [s.mesh, s.flat, s.lines, s.seams]) {
        o.removeFromParent();
        o.geometry.dispose();
      }
      // Lines have a material each; those of meshes are the three below.
      for (const o of [s.lines, s.seams]) (o.material as THREE.Material).dispose();
      s.lit.dispose();
      s.channel.dispose();
      s.flatChannel.dispose();
      s.textures?.dispose();
    }
    this.sheets.clear();
    for (const shell of this.shells.values()) discard(shell);
    this.shells.clear();
  }

  /** Begin with another model, whose sheets come one by one; the same project keeps the view of what did not change its size. */
  beginGeometry(header: GeometryHeader, another: boolean): void {
    this.clear();
    if (another || this.bounds?.diagonal !== header.diagonal) this.orbit.frame(header.low, header.high);
    this.bounds = header;
    this.apply(this.look, true);
  }

  /** Whether a sheet's triangles have come. */
  has(sheet: string): boolean {
    return this.sheets.has(sheet);
  }

  addSheet(answer: Binary<SheetGeometry>): void {
    const entry = sheetObjects(answer.header, answer.bytes);
    this.scene.add(entry.mesh);
    this.flatScene.add(entry.flat, entry.lines, entry.seams);
    this.sheets.set(entry.info.sheet, entry);
    this.apply(this.look, true);
  }

  /** The textures of a sheet, made at its resolution; asking with another resolution makes them anew. */
  textures(sheet: string, side: number): SheetTextures {
    const entry = this.sheets.get(sheet);
    if (!entry) return new SheetTextures(side);
    if (entry.textures?.side !== side) {
      entry.textures?.dispose();
      const vertices = entry.info.of === "vertices";
      entry.textures = new SheetTextures(side, entry.info.squares.length > 0, vertices);
      entry.lit.dispose();
      entry.lit = litMaterial(entry.textures, vertices);
      this.apply(this.look, true);
    }
    return entry.textures as SheetTextures;
  }

  /** Whether a sheet's emission or opacity is in use decides how its material is drawn; less opacity than `cutoff` is cut out, when it is not 0. */
  setSheetTraits(sheet: string, lets: boolean, cutoff: number, glows: boolean): void {
    const entry = this.sheets.get(sheet);
    if (!entry?.textures) return;
    const found = glows ? entry.textures.get("emission").texture : null;
    const onVertices = entry.lit.userData.vertices as VertexUniforms | undefined;
    if (onVertices) {
      onVertices.vertexGlow.value = found;
      onVertices.glows.value = glows ? 1 : 0;
    }
    const emissive = onVertices ? null : found;
    const clear = lets && cutoff === 0;
    const below = lets ? cutoff : 0;
    if (entry.lit.transparent !== clear || entry.lit.emissiveMap !== emissive || entry.lit.alphaTest !== below) {
      entry.lit.alphaTest = below;
      entry.lit.transparent = clear;
      entry.lit.depthWrite = true;
      entry.mesh.castShadow = !clear;
      entry.lit.emissiveMap = emissive;
      entry.lit.emissive.set(emissive ? 0xffffff : 0x000000);
      entry.lit.needsUpdate = true;
      this.renderer.shadowMap.needsUpdate = true;
    }
    this.draw();
  }

  apply(look: Look, force = false): void {
    const old = this.look;
    this.look = look;
    const angle = (look.lightDeg * Math.PI) / 180;
    const size = this.bounds?.diagonal ?? 1;
    this.light.target.position.copy(this.orbitCentre());
    this.light.position
      .set(Math.sin(angle - 1.25) * 0.8, 0.75, Math.cos(angle - 1.25) * 0.8)
      .multiplyScalar(size)
      .add(this.light.target.position);
    const shadow = this.light.shadow.camera;
    shadow.left = shadow.bottom = -size * 0.55;
    shadow.right = shadow.top = size * 0.55;
    shadow.near = size * 0.1;
    shadow.far = size * 2.5;
    shadow.updateProjectionMatrix();
    if (force || old.lightDeg !== look.lightDeg || old.hiddenParts !== look.hiddenParts || old.hiddenFaces !== look.hiddenFaces)
      this.renderer.shadowMap.needsUpdate = true;
    for (const [id, s] of this.sheets) {
      if (s.textures) {
        const over = id === look.maskSheet ? look.over : null;
        const shown = look.mode === "channel" ? look.channel : "base_color";
        const marked = look.suspects && look.mode === "channel";
        s.channel.show(s.textures, shown, look.mode === "channel", marked, over);
        s.channel.tint(look.mode === "flat" && look.tinted && s.info.colours.length > 0);
        const tinted = look.tinted && s.info.colours.length > 0;
        if (s.lit.vertexColors !== tinted) {
          s.lit.vertexColors = tinted;
          s.lit.needsUpdate = true;
        }
        s.flatChannel.show(s.textures, shown, false, marked, over);
        const lit = s.lit.userData.over as OverUniforms | undefined;
        if (lit) {
          lit.over.value = over ? s.textures.get(textureOf(over)).texture : null;
          lit.covered.value = over ? 1 : 0;
        }
        s.mesh.material = look.mode === "lit" ? s.lit : s.channel;
      } else {
        s.mesh.material = s.lit;
      }
      s.flat.visible = s.textures !== null && id === look.flatSheet;
      s.lines.visible = look.wire && id === look.flatSheet;
      s.seams.visible = id === look.flatSheet;
      this.hide(s, look.hiddenParts, look.hiddenFaces);
      s.mesh.visible = (s.mesh.geometry.index?.count ?? 0) > 0;
    }
    if (force || old.unfold !== look.unfold) this.unfold(look.unfold);
    if (look.unfold) for (const s of this.sheets.values()) if (s.solid) s.mesh.material = this.layout;
    if (force || old.highlight !== look.highlight || old.unfold !== look.unfold) this.mark(look.highlight);
    for (const [id, mesh] of this.flatMarks) mesh.visible = id === look.flatSheet;
    this.draw();
  }

  /** Lay the model a share of the way into the squares of its sheets. */
  private unfold(share: number): void {
    if (!share && !this.flatPlace) return;
    const laid = [...this.sheets.values()].filter((s) => s.info.of === "texels");
    const box = this.solidView?.getBoundingClientRect();
    const room = Math.min((box?.width ?? 1) / (1.05 * laid.length), box?.height ?? 1) * 0.9;
    this.flatPlace ??= flatPlace(this.orbit.camera, this.orbit.target.clone(), room * this.pixelSize(this.orbit.target));
    laid.forEach((s, i) => this.flatPlace && unfoldTo(s, share, this.flatPlace, i, laid.length));
    if (!share) this.flatPlace = null;
    if (this.seamLines) this.seamLines.visible = !share;
    this.renderer.shadowMap.needsUpdate = true;
  }

  /** Edges marked as seams: six numbers each, the two ends. */
  setSeams(lines: readonly number[][]): void {
    this.seamLines?.removeFromParent();
    this.seamLines?.geometry.dispose();
    this.seamLines = null;
    if (lines.length) {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(lines.flat()), 3));
      this.seamLines = new THREE.LineSegments(geometry, SEAM);
      this.seamLines.renderOrder = 4;
      this.scene.add(this.seamLines);
    }
    this.draw();
  }

  /** Show where a sheet's rays start and end: triangles outside and inside, nine numbers each; null takes them away. */
  setShell(sheet: string, triangles: [Float32Array, Float32Array] | null): void {
    const old = this.shells.get(sheet);
    if (old) discard(old);
    this.shells.delete(sheet);
    if (triangles) {
      const made = shellMeshes(...triangles);
      this.shells.set(sheet, made);
      this.scene.add(...made);
    }
    this.draw();
  }

  private orbitCentre(): THREE.Vector3 {
    const b = this.bounds;
    if (!b) return new THREE.Vector3();
    return new THREE.Vector3().fromArray(b.low).add(new THREE.Vector3().fromArray(b.high)).multiplyScalar(0.5);
  }

  private hide(s: SheetObjects, parts: number[], faces: ReadonlySet<number> | null): void {
    const hidden = new Set([...parts, ...this.shownOtherwise(s)]);
    const kept = s.info.parts.filter((r) => !hidden.has(r.part));
    const key = kept.map((r) => r.first).join();
    if (s.shown === key && s.away === faces) return;
    s.shown = key;
    s.away = faces;
    let indices = s.allIndices;
    if (kept.length !== s.info.parts.length) {
      indices = new Uint32Array(kept.reduce((n, r) => n + r.count * 3, 0));
      let at = 0;
      for (const r of kept) {
        indices.set(s.allIndices.subarray(r.first * 3, (r.first + r.count) * 3), at);
        at += r.count * 3;
      }
    }
    if (faces) indices = withoutFaces(s, kept, faces);
    s.mesh.geometry.disposeBoundsTree?.();
    s.mesh.geometry.setIndex(new THREE.BufferAttribute(indices, 1));
    if (indices.length) s.mesh.geometry.computeBoundsTree?.({ indirect: true });
  }

  /** Parts of a sheet or of vertices that the other kind shows, where both have them: the kind of the chosen one goes first. */
  private shownOtherwise(s: SheetObjects): number[] {
    const all = [...this.sheets.values()];
    const first = this.sheets.get(this.look.flatSheet ?? "")?.info.of ?? "texels";
    if (s.info.of === first) return [];
    return all.filter((x) => x.info.of !== s.info.of).flatMap((x) => x.info.parts.map((r) => r.part));
  }

  /** Colour some faces, for findings. */
  private mark(faces: ReadonlySet<number> | null): void {
    if (this.marks) {
      this.marks.traverse((o) => (o as THREE.Mesh).geometry?.dispose());
      this.marks.removeFromParent();
      this.marks = null;
    }
    for (const mesh of this.flatMarks.values()) {
      mesh.geometry.dispose();
      mesh.removeFromParent();
    }
    this.flatMarks.clear();
    if (!faces || !faces.size) return;
    this.marks = new THREE.Group();
    for (const s of this.sheets.values()) {
      if (!s.mesh.visible) continue;
      const picked: number[] = [];
      s.faces.forEach((face, t) => {
        if (faces.has(face)) picked.push(s.allIndices[3 * t] ?? 0, s.allIndices[3 * t + 1] ?? 0, s.allIndices[3 * t + 2] ?? 0);
      });
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", s.mesh.geometry.getAttribute("position"));
      geometry.setIndex(picked);
      this.marks.add(new THREE.Mesh(geometry, MARK));
      // Vertices have no layout to be marked on.
      if (s.info.of === "vertices") continue;
      const flat = new THREE.BufferGeometry();
      flat.setAttribute("position", s.flat.geometry.getAttribute("position"));
      flat.setIndex(picked);
      const mesh = new THREE.Mesh(flat, MARK);
      mesh.position.z = 0.5;
      mesh.frustumCulled = false;
      mesh.visible = s.info.sheet === this.look.flatSheet;
      this.flatMarks.set(s.info.sheet, mesh);
      this.flatScene.add(mesh);
    }
    this.scene.add(this.marks);
  }

  /** The visible surface under a pixel of the 3D view. */
  hit(px: number, py: number): SurfaceHit | null {
    const box = this.solidView?.getBoundingClientRect();
    // What is unfolded lies nowhere on the model.
    if (!box || !box.width || this.look.unfold) return null;
    const ray = new THREE.Raycaster();
    ray.firstHitOnly = true;
    ray.setFromCamera(new THREE.Vector2((px / box.width) * 2 - 1, 1 - (py / box.height) * 2), this.orbit.camera);
    let best: THREE.Intersection | null = null;
    let owner: SheetObjects | null = null;
    for (const s of this.sheets.values()) {
      if (!s.mesh.visible) continue;
      const found = ray.intersectObject(s.mesh, false)[0];
      if (found && (!best || found.distance < best.distance)) {
        best = found;
        owner = s;
      }
    }
    if (!best || !owner || !best.face) return null;
    const normal = best.face.normal.clone();
    if (normal.dot(ray.ray.direction) > 0) normal.negate();
    return { position: best.point, normal, sheet: owner.info.sheet };
  }

  /** Pixels of the 3D view of points in space. */
  project(points: THREE.Vector3[]): [number, number][] {
    const box = this.solidView?.getBoundingClientRect();
    if (!box) return [];
    return points.map((p) => {
      const v = p.clone().project(this.orbit.camera);
      return [((v.x + 1) / 2) * box.width, ((1 - v.y) / 2) * box.height];
    });
  }

  /** Of the model's box, object units. */
  get diagonal(): number {
    return this.bounds?.diagonal ?? 1;
  }

  /** The model's longest side, object units. */
  get width(): number {
    return this.bounds?.width ?? 1;
  }

  /** Object units a pixel spans at a point. */
  projectPoint(point: [number, number, number]): [number, number] {
    return this.project([new THREE.Vector3(...point)])[0] ?? [0, 0];
  }

  pixelSize(at: THREE.Vector3): number {
    const box = this.solidView?.getBoundingClientRect();
    const depth = at.clone().sub(this.orbit.camera.position).dot(this.orbit.camera.getWorldDirection(new THREE.Vector3()));
    return (2 * depth * Math.tan((this.orbit.camera.fov * Math.PI) / 360)) / (box?.height || 1);
  }

  /** The unit direction towards the light, object space. */
  lightFrom(): [number, number, number] {
    return this.light.position.clone().sub(this.light.target.position).normalize().toArray() as [number, number, number];
  }

  /** The model's box, object units. */
  get box(): [[number, number, number], [number, number, number]] | null {
    return this.bounds && [this.bounds.low as [number, number, number], this.bounds.high as [number, number, number]];
  }

  /** The camera of the 3D view, as the server knows cameras. */
  seenFrom(): Camera | null {
    const box = this.solidView?.getBoundingClientRect();
    return box?.width ? this.orbit.describe(box.width, box.height) : null;
  }

  /** Ask for a frame; many asks before the next frame make one. */
  draw(): void {
    if (this.frame) return;
    this.release ??= busy();
    this.frame = requestAnimationFrame(() => {
      this.frame = 0;
      this.render();
      this.release?.();
      this.release = null;
      for (const follow of this.onDrawn) follow();
    });
  }

  private render(): void {
    const box = this.canvas.getBoundingClientRect();
    if (!box.width || !box.height) return;
    const ratio = Math.min(window.devicePixelRatio || 1, 2);
    if (this.renderer.getPixelRatio() !== ratio) this.renderer.setPixelRatio(ratio);
    const size = this.renderer.getSize(new THREE.Vector2());
    if (size.x !== box.width || size.y !== box.height) this.renderer.setSize(box.width, box.height, false);
    for (const s of this.sheets.values()) s.textures?.flush(this.renderer);
    for (const of of this.looks.values()) for (const look of of.values()) look.flush(this.renderer);
    this.renderer.resetState();
    this.renderer.setScissorTest(true);
    const surround = this.dark ? 0x626262 : 0x9a9a9a;
    const place = (element: HTMLElement): DOMRect => {
      const r = element.getBoundingClientRect();
      this.renderer.setViewport(r.left - box.left, box.bottom - r.bottom, r.width, r.height);
      this.renderer.setScissor(r.left - box.left, box.bottom - r.bottom, r.width, r.height);
      this.renderer.setClearColor(surround, 1);
      this.renderer.clear();
      return r;
    };
    if (this.solidView?.isConnected) {
      const r = place(this.solidView);
      if (r.width && r.height) {
        this.orbit.aspect(r.width / r.height);
        this.halves(r, box, () => this.renderer.render(this.scene, this.orbit.camera));
      }
    }
    for (const [element, look] of this.panes) {
      if (!element.isConnected) continue;
      const r = place(element);
      if (!r.width || !r.height) continue;
      this.orbit.aspect(r.width / r.height);
      this.dressed(look, () => this.renderer.render(this.scene, this.orbit.camera));
    }
    if (this.flatView?.isConnected) {
      const r = place(this.flatView);
      if (r.width && r.height) {
        if (!this.fitted) {
          this.pan.fit(r.width, r.height);
          this.fitted = true;
        }
        const c = this.flatCamera;
        // Sheet space: x right and y down, 0 … 1.
        c.left = -this.pan.x / this.pan.scale;
        c.right = (r.width - this.pan.x) / this.pan.scale;
        c.top = -this.pan.y / this.pan.scale;
        c.bottom = (r.height - this.pan.y) / this.pan.scale;
        c.updateProjectionMatrix();
        this.halves(r, box, () => this.renderer.render(this.flatScene, c));
      }
    }
  }

  /** Draw a view, its left share in the look of the split. */
  private halves(r: DOMRect, box: DOMRect, work: () => void): void {
    if (!this.split || !this.looks.has(this.split.look)) return work();
    const at = Math.round(r.width * this.split.share);
    const cut = (left: number, width: number): void => this.renderer.setScissor(r.left - box.left + left, box.bottom - r.bottom, width, r.height);
    if (at > 0) {
      cut(0, at);
      this.dressed(this.split.look, work);
    }
    if (at < r.width) {
      cut(at, r.width - at);
      work();
    }
  }

  /** Both views at a place: of the sheet, 0–1, and of the surface with the way it faces. */
  goTo(place: { sheet: number[]; position: number[]; normal: number[] }): void {
    this.orbit.approachPlace(place.position, place.normal);
    const box = this.flatView?.getBoundingClientRect();
    if (box?.width) {
      this.pan.goTo(place.sheet[0] ?? 0.5, place.sheet[1] ?? 0.5, box.width, box.height);
      this.fitted = true;
    }
    this.draw();
  }

  /** Both views as they were at first. */
  reframe(): void {
    const shown = this.look.hiddenParts.length || this.look.hiddenFaces ? this.shownBox() : null;
    if (shown) this.orbit.frame(shown.min.toArray(), shown.max.toArray());
    else if (this.bounds) this.orbit.frame(this.bounds.low, this.bounds.high);
    this.refit();
  }

  /** Around the faces that are not hidden; null where none is left. */
  private shownBox(): THREE.Box3 | null {
    const box = new THREE.Box3();
    const place = new THREE.Vector3();
    for (const s of this.sheets.values()) {
      const { index, attributes } = s.mesh.geometry;
      if (!s.mesh.visible || !index || !attributes.position) continue;
      for (let i = 0; i < index.count; i++) box.expandByPoint(place.fromBufferAttribute(attributes.position, index.getX(i)));
    }
    return box.isEmpty() ? null : box;
  }

  /** Fit the flat sheet into its view again. */
  refit(): void {
    this.fitted = false;
    this.draw();
  }
}
