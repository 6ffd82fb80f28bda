"use client";

import { FileInput } from "lucide-react";
import { FILE_ENDINGS } from "@/core/formats";
import type { Role } from "@/state/roles";
import { ROLES } from "@/state/roles";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";
import { FileChooser } from "../kit/fileChooser";
import { JoinForm } from "./joinForm";

const ROLE_WORDS: Record<Role, string> = {
  mean: "a stack",
  a: "its half A",
  b: "its half B",
  coverage: "its coverage",
  none: "left alone",
};

/** Brings stacks in that were made elsewhere, or here and written to files: alone, or with their halves. */
export function BringIn() {
  const session = useSession();
  const found = useProject((state) => state.found);
  return (
    <div className="mt-auto space-y-2 border-t border-line pt-3">
      {found.length > 0 ? (
        <div className="space-y-2 border-l-2 border-accent bg-raised p-2" data-testid="found">
          <ul className="space-y-1">
            {found.map((file, i) => (
              <li key={`${file.name}${i}`}>
                <span className="block truncate" title={file.name}>
                  {file.name}
                </span>
                <Choice
                  label={`${file.name} is`}
                  help="What this file is"
                  value={file.role}
                  options={ROLES.map((value) => ({ value, label: ROLE_WORDS[value] }))}
                  onChange={(role) =>
                    session.stacks.setFound(found.map((other) => (other === file ? { ...other, role } : other)))
                  }
                />
              </li>
            ))}
          </ul>
          <div className="flex gap-2">
            <Button
              kind="primary"
              disabled={!found.some(({ role }) => role === "mean")}
              help="Looks them over and keeps them with the stacks of this project"
              onClick={() => void session.stacks.bringIn()}
            >
              Bring in
            </Button>
            <Button kind="quiet" help="Forgets these files" onClick={() => session.stacks.setFound([])}>
              Leave them
            </Button>
          </div>
        </div>
      ) : null}
      <JoinForm />
      <FileChooser
        testId="choose-stack"
        label="Files of a stack"
        accept={FILE_ENDINGS}
        multiple
        onChoose={(files) => void session.stacks.find(files.map((blob) => ({ name: blob.name, blob })))}
      >
        {(choose) => (
          <Button
            help="A stack that was made elsewhere, as FITS, TIFF or PNG; choose its two halves along with it if there are any"
            onClick={choose}
          >
            <FileInput size={14} /> Bring in a stack
          </Button>
        )}
      </FileChooser>
    </div>
  );
}
