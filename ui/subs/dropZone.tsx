"use client";

import { FolderInput } from "lucide-react";
import type { ReactNode } from "react";
import { useState } from "react";
import { FILE_ENDINGS } from "@/core/formats";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { FileChooser } from "../kit/fileChooser";
import { EmptyState } from "../kit/notice";

/** Takes files that are dropped on it; `children` get the action that opens the file dialog. */
export function DropZone({ children }: { children: (choose: () => void) => ReactNode }) {
  const session = useSession();
  const [over, setOver] = useState(false);
  const take = (files: Iterable<File>) => {
    const list = [...files];
    if (list.length > 0)
      void session.subs.importFiles(list.map((file) => ({ name: file.name, load: () => Promise.resolve(file) })));
  };
  return (
    <div
      className={`relative flex h-full flex-col ${over ? "outline-2 -outline-offset-2 outline-accent" : ""}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        take(event.dataTransfer.files);
      }}
    >
      <FileChooser testId="choose-files" label="Files of subs" accept={FILE_ENDINGS} multiple onChoose={take}>
        {children}
      </FileChooser>
    </div>
  );
}

export function NoFrames({ onChoose }: { onChoose: () => void }) {
  return (
    <EmptyState title="Drop your frames here">
      <p className="mb-3">
        Lights as they left the camera with their darks, flats and bias; or calibrated subs; or a video. FITS, TIFF,
        PNG, SER and AVI, as many at once as you like. Each is measured as it comes in; one that cannot be read is named
        and the others go on. They stay in this browser.
      </p>
      <Button kind="primary" onClick={onChoose}>
        <FolderInput size={16} /> Choose files
      </Button>
    </EmptyState>
  );
}
