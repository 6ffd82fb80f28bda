"use client";

import { Trash2 } from "lucide-react";
import { useCallback, useEffect, useState } from "react";
import type { ChainStep } from "@/core/chain";
import { chainWords } from "@/core/chain";
import { failureOf } from "@/engine/protocol";
import type { ChainRecord } from "@/storage";
import { useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";

interface Props {
  /** The chain of the lane, as it is kept. */
  steps: ChainStep[];
  letter: string;
  onUse: (steps: ChainStep[]) => void;
}

/** Chains kept under names for any project: this one is added, one of them takes the place of the lane's. */
export function KeptChains({ steps, letter, onUse }: Props) {
  const { board } = useSession();
  const [kept, setKept] = useState<ChainRecord[] | null>(null);
  const [name, setName] = useState("");
  const [problem, setProblem] = useState<string | null>(null);
  const read = useCallback(
    () =>
      board.keptChains().then(
        ({ found, problems }) => {
          setKept(found);
          setProblem(problems.length > 0 ? problems.join("; ") : null);
        },
        (error: unknown) => setProblem(failureOf(error).message),
      ),
    [board],
  );
  useEffect(() => {
    read().catch(() => undefined); // said above
  }, [read]);
  const change = (doing: Promise<void>) =>
    doing.then(read).catch((error: unknown) => setProblem(failureOf(error).message));
  return (
    <section className="mb-2 rounded border border-line bg-page p-1.5" data-testid="kept-chains">
      <form
        className="flex items-center gap-1"
        onSubmit={(event) => {
          event.preventDefault();
          const given = name.trim() || chainWords(steps).slice(0, 80);
          setName("");
          void change(board.keepChain(given, steps));
        }}
      >
        <input
          aria-label="Name of the chain"
          className="min-w-0 flex-1 rounded border border-line bg-panel px-1.5 py-0.5"
          placeholder={chainWords(steps).slice(0, 80)}
          maxLength={80}
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <Button
          type="submit"
          disabled={steps.length === 0}
          help="Keeps the chain of this lane under that name, for any project"
        >
          Keep
        </Button>
      </form>
      {problem ? (
        <p role="alert" className="text-sm text-warn">
          {problem}
        </p>
      ) : null}
      {kept && kept.length > 0 ? (
        <ul className="mt-1 max-h-40 overflow-y-auto">
          {kept.map((chain) => (
            <li key={chain.id} className="flex items-center gap-1">
              <button
                type="button"
                className="min-w-0 flex-1 truncate rounded px-1 py-0.5 text-left hover:bg-raised"
                title={`${chainWords(chain.steps)}. Click to put it in the place of the chain of lane ${letter}.`}
                onClick={() => onUse(chain.steps)}
              >
                {chain.name}
              </button>
              <IconButton
                label={`Forget the chain ${chain.name}`}
                help="Forgets a kept chain"
                onClick={() => void change(board.dropChain(chain.id))}
              >
                <Trash2 size={12} />
              </IconButton>
            </li>
          ))}
        </ul>
      ) : (
        <p className="mt-1 text-sm text-quiet">Chains that you keep are here in every project.</p>
      )}
    </section>
  );
}
