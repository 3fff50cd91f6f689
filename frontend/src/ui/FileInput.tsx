import type { RefObject } from "react";

interface Props {
  input: RefObject<HTMLInputElement | null>;
  accept: string;
  label: string;
  onFile: (file: File) => void;
}

/** The hidden field behind a button that asks for a file; the same file can be chosen again. */
export function FileInput({ input, accept, label, onFile }: Props) {
  return (
    <input
      ref={input}
      type="file"
      hidden
      accept={accept}
      aria-label={label}
      onChange={(e) => {
        const file = e.target.files?.[0];
        e.target.value = "";
        if (file) onFile(file);
      }}
    />
  );
}
