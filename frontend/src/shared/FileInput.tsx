interface Props {
  /** The kinds of files offered, as the browser's chooser takes them. */
  accept: string;
  onFile: (file: File) => void;
}

/** What a label around it opens: a choice of one file. The same file can be chosen again. */
export function FileInput({ accept, onFile }: Props) {
  return (
    <input
      type="file"
      accept={accept}
      className="visually-hidden"
      onChange={(e) => {
        const file = e.target.files?.[0];
        if (file) onFile(file);
        e.target.value = "";
      }}
    />
  );
}
