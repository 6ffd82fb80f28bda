"use client";

import { useState } from "react";
import { stackParameters } from "@/core/stack";
import type { CopyChoice } from "@/state/copiedStack";
import type { StackRecord } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";

const FACTORS = [
  { value: "0.25", label: "25 %" },
  { value: "0.5", label: "50 %" },
  { value: "2", label: "200 %" },
  { value: "3", label: "300 %" },
];

/** Makes a stack of another scale out of this one, to compare what binning or enlarging does. */
export function CopyForm({ stack }: { stack: StackRecord }) {
  const session = useSession();
  const [choice, setChoice] = useState<CopyChoice>({ factor: 0.5, resampling: "lanczos3" });
  const kernels = stackParameters.fields.find(({ name }) => name === "resampling");
  return (
    <div className="mt-4 flex flex-wrap items-center gap-2 text-quiet" data-testid="copy">
      A copy at
      <Choice
        label="Scale of the copy"
        value={String(choice.factor)}
        options={FACTORS}
        onChange={(factor) => setChoice({ ...choice, factor: Number(factor) })}
      />
      {choice.factor > 1 && kernels?.kind === "choice" ? (
        <>
          by
          <Choice
            label="Kernel of the copy"
            value={choice.resampling}
            options={[...kernels.options]}
            onChange={(resampling) => setChoice({ ...choice, resampling: resampling as CopyChoice["resampling"] })}
          />
        </>
      ) : (
        "by means of whole pixels"
      )}
      <Button
        help="A stack of its own, with its halves; Compare shows both at the same scale of the sky"
        onClick={() => void session.stacks.copy(stack, choice)}
      >
        Copy it
      </Button>
    </div>
  );
}
