/** Variants and swatch roles: what they are, which one shows, and small looks at all of them. */
import { createStore } from "zustand/vanilla";
import { api } from "../api/client";
import type { Edit, SwatchRole, Variant } from "../api/types";
import { attempt } from "./attempt";
import { edit } from "./edits";
import { accept } from "./following";
import { say } from "./messages";
import { workshop } from "./workshop";
import type { RGB } from "./workshop";

interface VariantState {
  /** The project they are of. */
  of: string | null;
  /** Small looks, by variant, "" the base. */
  pictures: Record<string, string>;
  /** How many changes of a variant are of layers that are gone. */
  waiting: Record<string, number>;
}

export const variantLooks = createStore<VariantState>(() => ({ of: null, pictures: {}, waiting: {} }));

export function variants(): readonly Variant[] {
  return (workshop.getState().project?.document.variants ?? []) as Variant[];
}

export function roles(): readonly SwatchRole[] {
  return (workshop.getState().project?.document.settings.roles ?? []) as SwatchRole[];
}

function freshIdOf(taken: readonly string[], letter: string): string {
  let n = 1;
  while (taken.includes(`${letter}${n}`)) n += 1;
  return `${letter}${n}`;
}

async function setVariants(list: readonly Variant[], label: string): Promise<boolean> {
  return edit(label, { edit: "set-variants", variants: [...list] } as Edit);
}

export async function showVariant(id: string | null): Promise<void> {
  const { uid } = workshop.getState();
  const answer = uid && (await attempt(() => api.showVariant(uid, id)));
  if (answer) accept(answer);
}

/** A new variant begins as what shows, and shows. */
export async function addVariant(name: string): Promise<void> {
  const all = variants();
  const showing = workshop.getState().project?.document.showing;
  const from = all.find((v) => v.id === showing);
  const id = freshIdOf(
    all.map((v) => v.id),
    "v",
  );
  const made = { id, name: name.slice(0, 80), overrides: from?.overrides ?? [], roles: from?.roles ?? {} } as Variant;
  if (await setVariants([...all, made], `Variant ${name}`)) await showVariant(id);
}

export async function renameVariant(id: string, name: string): Promise<void> {
  await setVariants(
    variants().map((v) => (v.id === id ? { ...v, name: name.slice(0, 80) } : v)),
    `Rename to ${name}`,
  );
}

export async function removeVariant(id: string): Promise<void> {
  const gone = variants().find((v) => v.id === id);
  await setVariants(
    variants().filter((v) => v.id !== id),
    `Delete variant ${gone?.name ?? ""}`,
  );
}

/** Let a variant say of a layer what the base says; without a layer, of those that are gone. */
export async function forgetChanges(id: string, sheet: string, layer: string): Promise<void> {
  await setVariants(
    variants().map((v) => (v.id === id ? { ...v, overrides: (v.overrides ?? []).filter((o) => o.sheet !== sheet || o.layer !== layer) } : v)),
    "Forget a change",
  );
}

export async function forgetRole(id: string, role: string): Promise<void> {
  await setVariants(
    variants().map((v) => (v.id === id ? { ...v, roles: Object.fromEntries(Object.entries(v.roles ?? {}).filter(([r]) => r !== role)) } : v)),
    "Forget a colour",
  );
}

export async function asProject(id: string | null, name: string): Promise<void> {
  const { uid } = workshop.getState();
  const made = uid && (await attempt(() => api.variantAsProject(uid, id, name)));
  if (made) say(`${name} is a project of its own now; it is among your projects.`);
}

/** Looks that are kept at once, then those that are missing, one after the other for as long as nothing changes. */
export async function freshLooks(): Promise<void> {
  const { uid, project } = workshop.getState();
  if (!uid) return;
  const current = (): boolean => workshop.getState().uid === uid && workshop.getState().project?.revision === project?.revision;
  const found = await attempt(() => api.variants(uid));
  if (!found || !current()) return;
  const all = ["", ...variants().map((v) => v.id)];
  // What showed before stays until the new one is there.
  const before = variantLooks.getState().of === uid ? variantLooks.getState().pictures : {};
  variantLooks.setState({ of: uid, waiting: found.waiting, pictures: { ...before, ...found.pictures } });
  for (const id of all.filter((v) => !(v in found.pictures))) {
    const picture = await attempt(() => api.variantLook(uid, id || null));
    if (!picture || !current()) return;
    variantLooks.setState((s) => ({ pictures: { ...s.pictures, [id]: picture } }));
  }
}

// -- swatch roles ---------------------------------------------------------------------------------------------------------------

/** Roles as the base has them: their list is the base's, whatever shows. */
function baseRoles(): SwatchRole[] {
  const base = workshop.getState().project?.document.base;
  return roles().map((r) => ({ ...r, colour: (base?.roles?.[r.id] ?? r.colour) as RGB }));
}

export async function addRole(name: string, colour: RGB): Promise<string | null> {
  const id = freshIdOf(
    roles().map((r) => r.id),
    "role",
  );
  const made = { id, name: name.slice(0, 80), colour } as SwatchRole;
  return (await edit(`Role ${name}`, { edit: "set-roles", roles: [...baseRoles(), made] } as Edit)) ? id : null;
}

export async function removeRole(id: string): Promise<void> {
  await edit("Delete a role", { edit: "set-roles", roles: baseRoles().filter((r) => r.id !== id) } as Edit);
}

/** In the variant that shows, or in the base. */
export async function colourRole(role: string, colour: RGB): Promise<void> {
  const name = roles().find((r) => r.id === role)?.name ?? "";
  await edit(`Colour of ${name}`, { edit: "set-role-colour", role, colour, variant: null } as Edit);
}
