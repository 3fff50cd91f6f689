/** What the application has told the person: one message on screen, and a list of all of them that stays. */
import { createStore } from "zustand/vanilla";
import { onTold } from "../api/client";

export interface Message {
  id: number;
  text: string;
  bad: boolean;
  /** Milliseconds since the epoch. */
  at: number;
}

export interface Messages {
  /** Newest last. */
  list: Message[];
  /** The one on screen. */
  shown: Message | null;
  /** Troubles told since the list was last looked at. */
  unread: number;
}

/** Messages kept in the list. */
const KEPT = 100;
/** How long a trouble keeps its place on screen against good news. */
const HELD_MS = 6000;

export const messages = createStore<Messages>(() => ({ list: [], shown: null, unread: 0 }));

let next = 1;

export function say(text: string, bad = false): void {
  const { list, shown, unread } = messages.getState();
  const message = { id: next++, text, bad, at: Date.now() };
  const held = shown?.bad && !bad && message.at - shown.at < HELD_MS;
  messages.setState({ list: [...list, message].slice(-KEPT), shown: held ? shown : message, unread: unread + (bad ? 1 : 0) });
}

/** Long enough to read it: a second more for every sixteen characters. */
export function readingTime(message: Message): number {
  return (message.bad ? 9000 : 3500) + message.text.length * 60;
}

export function dismiss(): void {
  messages.setState({ shown: null });
}

export function markRead(): void {
  messages.setState({ unread: 0 });
}

onTold((text) => say(text));
