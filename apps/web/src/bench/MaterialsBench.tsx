import { useState } from 'react';
import { MAP_CHANNELS, SURE_OF_KIND } from '@dimetra/core';
import { useDesk } from '../stage/context.ts';
import { alphaWord } from '../shared/format.ts';
import { listArrows } from '../shared/list-arrows.ts';
import { useAppDispatch } from '../store/store.ts';
import { partPicked } from '../store/view-slice.ts';
import { FindingList } from '../step/FindingList.tsx';
import { FineDetail } from './FineDetail.tsx';
import { MapReadings, useMapReadings } from './MapReadings.tsx';
import { OverruleMaterial, useSaidKinds } from './OverruleMaterial.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { StepHead } from '../step/StepHead.tsx';
import { TreatmentCard } from './TreatmentCard.tsx';
import { useCuts } from './use-cuts.ts';

const ALWAYS = ['baseColor', 'normal', 'metallicRoughness', 'occlusion'];
const CHANNEL_WORDS: Record<string, string> = {
  baseColor: 'colour',
  normal: 'normal',
  metallicRoughness: 'roughness',
  occlusion: 'occlusion',
  emissive: 'glow',
  specularGlossiness: 'gloss',
};

/** What is not certain stands with a question mark. */
const kindWord = ({ kind, kindConfidence = 1 }: { kind: string; kindConfidence?: number }): string =>
  kindConfidence < SURE_OF_KIND ? `${kind}?` : kind;

/** The swatch wall: a tile cut from the character for every material, its channels as chips below. */
export function MaterialsBench() {
  const { character, run } = useDesk();
  const dispatch = useAppDispatch();
  const { materials, parts } = character.revision.summary;
  const kinds = useSaidKinds(),
    readings = useMapReadings();
  const [chosen, setChosen] = useState<string | null>(materials[0]?.name ?? null);
  const findings =
    run?.steps
      .find((step) => step.id === 'materials.transparency')
      ?.findings.concat(run.steps.find((entry) => entry.id === 'materials.channels')?.findings ?? []) ?? [];
  const cuts = useCuts();
  const asked = (material: string, channel: string) =>
    readings.some((finding) => finding.where === material && finding.names?.channel === channel);
  const result = new Map(run?.result?.materials.map((material) => [material.name, material]) ?? []);
  return (
    <>
      <StepHead step="materials.transparency" title="Materials">
        Opaque, cut-out or blended is decided from what each map's alpha really holds, what the material is, and what
        the target can sort.
      </StepHead>
      <div className="swatches" role="listbox" tabIndex={-1} aria-label="Materials" onKeyDown={listArrows}>
        {materials.map((material) => (
          <button
            key={material.name}
            type="button"
            role="option"
            className="swatch"
            aria-selected={chosen === material.name}
            tabIndex={chosen === material.name ? 0 : -1}
            data-material={material.name}
            onClick={() => {
              setChosen(material.name);
              dispatch(partPicked(parts.find((part) => part.material === material.name)?.id ?? null));
            }}
          >
            <div className="cut">
              {cuts[material.name] ? <img src={cuts[material.name]} alt="" /> : <span className="empty" />}
            </div>
            <div className="body">
              <b className="clip whole">{material.name}</b>
              <span className="quiet">
                {kinds[material.name] ? `✎ ${kinds[material.name]}` : kindWord(material)},{' '}
                <span className="source">{alphaWord(material.alphaMode)}</span>
                {result.get(material.name) && result.get(material.name)?.alphaMode !== material.alphaMode && (
                  <>
                    {' '}
                    → <span className="result">{alphaWord(result.get(material.name)?.alphaMode ?? '')}</span>
                  </>
                )}
              </span>
              <span>
                {[
                  ...ALWAYS,
                  ...MAP_CHANNELS.filter((channel) => !ALWAYS.includes(channel) && material.maps[channel]),
                ].map((channel) => (
                  <span
                    key={channel}
                    className={`chip ${material.maps[channel] ? '' : 'gap'} ${asked(material.name, channel) ? 'asks' : ''}`}
                    title={
                      material.maps[channel]
                        ? `${material.maps[channel].file}, ${material.maps[channel].width} × ${material.maps[channel].height}`
                        : 'no map'
                    }
                  >
                    {CHANNEL_WORDS[channel] ?? channel}
                  </span>
                ))}
              </span>
            </div>
          </button>
        ))}
      </div>
      {chosen && <OverruleMaterial name={chosen} />}
      {chosen && <TreatmentCard material={chosen} />}
      {chosen && <MapReadings material={chosen} />}
      <StepCard step="materials.channels" />
      <FineDetail />
      {findings.length > 0 && <h3>What the last run did</h3>}
      <FindingList findings={findings} />
    </>
  );
}
