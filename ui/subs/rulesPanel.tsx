"use client";

import { X } from "lucide-react";
import type { Flag, GradedFrame, Measure, MeasureId, Rule } from "@/core/choose";
import { FLAG_WORDS, RULE_MEASURES, firstRule, measureOf, ruleSentence } from "@/core/choose";
import { useProject, useSession } from "../frame/session";
import { IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { NumberField } from "../kit/setting";

const SHARES: { value: string; label: string; measure: MeasureId }[] = [
  { value: "ofBest stars", label: "stars at least a share of the best", measure: "stars" },
  { value: "ofBest fwhm", label: "FWHM at most a share of the best", measure: "fwhm" },
  { value: "best weight", label: "the best by weight", measure: "weight" },
  { value: "best fwhm", label: "the best by FWHM", measure: "fwhm" },
  { value: "best sharpness", label: "the best by sharpness", measure: "sharpness" },
];

/** Rules that read as sentences; each can be switched off, changed in place, or removed. */
export function RulesPanel({ frames }: { frames: GradedFrame[] }) {
  const session = useSession();
  const rules = useProject((state) => state.project.rules);
  // A rule about what no frame has would say nothing.
  const known = ({ value }: Measure) => frames.some((frame) => value(frame) !== null);
  const save = (next: Rule[]) => session.subs.saveRules({ rules: next });
  const change = (id: string, part: Partial<Rule>) =>
    save(rules.map((rule) => (rule.id === id ? ({ ...rule, ...part } as Rule) : rule)));
  return (
    <div className="shrink-0 space-y-1 border-b border-line bg-panel px-2 py-1.5" data-testid="rules">
      {rules.map((rule) => (
        <div key={rule.id} className={`flex items-center gap-1.5 ${rule.on ? "" : "opacity-50"}`}>
          <input
            type="checkbox"
            className="accent-[#a3a3a3]"
            checked={rule.on}
            aria-label={`Rule: ${ruleSentence(rule)}`}
            onChange={(event) => change(rule.id, { on: event.target.checked })}
          />
          <span className="flex flex-1 items-center gap-1.5">
            <RuleWords rule={rule} onChange={(part) => change(rule.id, part)} />
          </span>
          <IconButton
            label={`Remove the rule “${ruleSentence(rule)}”`}
            onClick={() => save(rules.filter(({ id }) => id !== rule.id))}
          >
            <X size={12} />
          </IconButton>
        </div>
      ))}
      <div className="flex items-center gap-2">
        <span className="text-quiet">{rules.length === 0 ? "Keep every sub, or only those with" : "and with"}</span>
        <Choice
          label="Add a rule"
          help="Adds a rule; every sub of which its sentence is not true is left out, and says why"
          value=""
          placeholder="a rule …"
          options={[
            ...RULE_MEASURES.filter(known).map(({ id, label, better }) => ({
              value: `limit ${id}`,
              label: `${label} ${better === "low" ? "below" : "above"} a limit`,
            })),
            ...SHARES.filter(({ measure }) => known(measureOf(measure))),
            ...Object.entries(FLAG_WORDS).map(([flag, words]) => ({ value: `without ${flag}`, label: words.rule })),
          ]}
          onChange={(value) => save([...rules, newRule(value, frames)])}
        />
      </div>
    </div>
  );
}

function newRule(value: string, frames: GradedFrame[]): Rule {
  const [kind, what] = value.split(" ");
  const id = crypto.randomUUID();
  if (kind === "without") return { id, on: true, kind, flag: what as Flag };
  const measure = what as MeasureId;
  if (kind === "ofBest")
    return { id, on: true, kind, measure, percent: measureOf(measure).better === "low" ? 140 : 70 };
  if (kind === "best") return { id, on: true, kind, measure, percent: 80 };
  return firstRule(id, frames, measure);
}

function RuleWords({ rule, onChange }: { rule: Rule; onChange: (part: Partial<Rule>) => void }) {
  if (rule.kind === "without") return <>{ruleSentence(rule)}</>;
  const { label, unit, digits, better } = measureOf(rule.measure);
  if (rule.kind === "limit")
    return (
      <>
        {label}
        <Choice
          label={`Side of the limit of ${label}`}
          value={rule.side}
          options={[
            { value: "below", label: "below" },
            { value: "above", label: "above" },
          ]}
          onChange={(side) => onChange({ side })}
        />
        <NumberField
          label={`Limit of ${label}`}
          min={-1e9}
          max={1e9}
          step={10 ** -digits}
          value={rule.value}
          onChange={(value) => onChange({ value })}
        />
        <span className="text-quiet">{unit}</span>
      </>
    );
  const field = (
    <NumberField
      label={`Percent, ${label}`}
      min={1}
      max={rule.kind === "best" ? 100 : 1000}
      step={1}
      value={rule.percent}
      onChange={(percent) => onChange({ percent })}
    />
  );
  return rule.kind === "ofBest" ? (
    <>
      {label} {better === "low" ? "at most" : "at least"} {field} % of the best
    </>
  ) : (
    <>
      the best {field} % by {label}
    </>
  );
}
