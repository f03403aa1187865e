import { defaultRecipe, namesKnown, namesMissing, stepById, takeShared } from '@dimetra/core';
import type { CharacterRow, SharedRecipeRow } from '@dimetra/contract';
import { Link } from 'react-router';
import { useCharacterQuery, useConversionByIdQuery, useRunQuery } from '../api/api.ts';
import { DifferenceList } from './DifferenceList.tsx';
import styles from './recipes.module.css';
import { followedOf } from './use-taking.ts';

interface TakerRowProps {
  character: CharacterRow;
  targetId: string;
  row: SharedRecipeRow;
  recipes: readonly SharedRecipeRow[];
  keepOwn: boolean;
  chosen: boolean;
  open: boolean;
  onChoose(): void;
  onOpen(): void;
}

/** What taking a recipe would do to one character: counts, and when it is opened every setting. */
export function TakerRow({
  character,
  targetId,
  row,
  recipes,
  keepOwn,
  chosen,
  open,
  onChoose,
  onOpen,
}: TakerRowProps) {
  const entry = character.conversions.find((one) => one.targetId === targetId),
    { data: detail } = useCharacterQuery(character.id),
    { data: conversion, isFetching } = useConversionByIdQuery(entry?.id ?? '', { skip: !entry }),
    { data: run } = useRunQuery(entry?.runId ?? '', { skip: !entry?.runId }),
    follows = conversion?.follows ?? null,
    their = follows && recipes.find(({ latest }) => latest.id === follows.id),
    known = !entry || (conversion !== undefined && !isFetching);
  const taken = takeShared(
      conversion?.recipe ?? defaultRecipe(),
      row.latest,
      their ? followedOf(their, follows) : null,
      keepOwn,
    ),
    // What it has as it came, and what steps made of it: a recipe may name either.
    missing = detail ? namesMissing(taken.recipe, namesKnown(detail.revision.summary, run?.result)) : [];
  const current = follows?.id === row.latest.id && follows.version === row.latest.version,
    says = their
      ? `${their.latest.title} ${follows?.version}${their.latest.version > (follows?.version ?? 0) ? ` of ${their.latest.version}` : ''}`
      : follows
        ? 'one that was removed'
        : 'none';
  return (
    <>
      <tr data-taker={character.name} data-follows={current}>
        <td>
          <input type="checkbox" aria-label={`Give it to ${character.name}`} checked={chosen} onChange={onChoose} />
        </td>
        <td>
          <button type="button" className={styles.opener} aria-expanded={open} onClick={onOpen}>
            <span aria-hidden="true">{open ? '▾' : '▸'}</span> {character.name}
          </button>
        </td>
        <td className="quiet">{known ? says : '…'}</td>
        <td className="num">{known ? taken.changes.length || 'nothing' : '…'}</td>
        <td className="num">{known ? taken.own.length || 'nothing' : '…'}</td>
        <td className="num" data-missing={missing.length}>
          {detail ? missing.length || 'none' : '…'}
        </td>
      </tr>
      {open && known && (
        <tr>
          <td />
          <td colSpan={5} className={styles.opened}>
            <DifferenceList
              label={`What would change of ${character.name}`}
              lead="Would change:"
              differences={taken.changes}
              none="Nothing would change."
            />
            <DifferenceList
              label={`What ${character.name} keeps of its own`}
              lead="Stays as its own:"
              differences={taken.own}
            />
            {missing.length > 0 && (
              <>
                <p className="quiet">It has nothing of these names, and what is set for them would do nothing:</p>
                <ul className={styles.missing}>
                  {missing.map(({ step, kind, name, nearest }) => (
                    <li key={`${step} ${kind} ${name}`}>
                      {stepById(step)?.title}: the {kind} “{name}”{nearest}
                    </li>
                  ))}
                </ul>
              </>
            )}
            <Link to={`/c/${character.id}/${targetId}`}>Open {character.name}</Link>
          </td>
        </tr>
      )}
    </>
  );
}
