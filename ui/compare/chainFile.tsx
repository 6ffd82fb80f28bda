"use client";

import { Download, LibraryBig, Upload } from "lucide-react";
import type { ChainStep } from "@/core/chain";
import { chainToJson, parseChain } from "@/core/chain";
import { download } from "../finish/download";
import { IconButton } from "../kit/button";
import { FileChooser } from "../kit/fileChooser";

interface Props {
  letter: string;
  /** The lane's steps on the pixels of its stack. */
  steps: ChainStep[];
  areKeptShown: boolean;
  onKept: () => void;
  /** Called with the steps of a chain file; they lie on the pixels of the lane's stack. */
  onTake: (steps: ChainStep[]) => void;
  /** Called with why a file could not be taken, or null. */
  onProblem: (problem: string | null) => void;
}

/** Chains kept for every project, a chain from a file, and the lane's chain as one. */
export function ChainFileButtons({ letter, steps, areKeptShown, onKept, onTake, onProblem }: Props) {
  const takeFile = async (file: File) => {
    let json: unknown;
    try {
      json = JSON.parse(await file.text());
    } catch {
      return onProblem(`${file.name}: is not JSON. Choose a chain that was exported here.`);
    }
    const chain = parseChain(json);
    if (!chain.ok) return onProblem(`${file.name}: ${chain.reason.message}`);
    onProblem(null);
    onTake(chain.value.steps);
  };
  const save = () => {
    const json = chainToJson(`Lane ${letter}`, steps);
    download(`chain-${letter}.json`, new Blob([json], { type: "application/json" }));
  };
  return (
    <>
      <IconButton label="Chains kept for every project" aria-pressed={areKeptShown} onClick={onKept}>
        <LibraryBig size={14} />
      </IconButton>
      <FileChooser
        testId="choose-chain"
        label="A chain file"
        accept={[".json", "application/json"]}
        onChoose={([file]) => void takeFile(file)}
      >
        {(choose) => (
          <IconButton label={`Import a chain into lane ${letter}`} onClick={choose}>
            <Upload size={14} />
          </IconButton>
        )}
      </FileChooser>
      <IconButton label={`Export the chain of lane ${letter} as JSON`} onClick={save}>
        <Download size={14} />
      </IconButton>
    </>
  );
}
