import { Button, Menu, Modal, TextInput, Textarea } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { differences, recipeOf, type SharedRecipe } from '@dimetra/core';
import { IconChevronDown } from '@tabler/icons-react';
import { useState } from 'react';
import { Link } from 'react-router';
import {
  api,
  callHere,
  nameHere,
  sentenceOf,
  useConversionQuery,
  useKeepRecipeMutation,
  useRecipesQuery,
  useSaveRecipeMutation,
} from '../api/api.ts';
import { freeId } from '../shared/free-id.ts';
import { saved } from '../store/recipe-slice.ts';
import { recipeSettled, store, useAppDispatch, useAppSelector } from '../store/store.ts';
import styles from './recipes.module.css';
import { followedOf } from './use-taking.ts';

interface RecipeMenuProps {
  characterId: string;
  targetId: string;
  target: string;
}

/** Which shared recipe the character on the desk follows, and ways to keep what is set here for others. */
export function RecipeMenu({ characterId, targetId, target }: RecipeMenuProps) {
  const { data: conversion } = useConversionQuery({ characterId, targetId }),
    { data: recipes = [] } = useRecipesQuery(),
    dispatch = useAppDispatch(),
    recipe = useAppSelector((state) => state.recipe.recipe),
    [keep, keeping] = useKeepRecipeMutation(),
    [save] = useSaveRecipeMutation(),
    [naming, setNaming] = useState(false),
    [title, setTitle] = useState(''),
    [note, setNote] = useState('');
  const follows = conversion?.follows ?? null,
    row = follows && recipes.find(({ latest }) => latest.id === follows.id),
    followed = row ? followedOf(row, follows) : null,
    own = followed && recipe ? differences(recipeOf(followed), recipe).length : 0;
  if (!conversion || !recipe) return null;
  const keepAs = async (given: Pick<SharedRecipe, 'id' | 'title' | 'note'>): Promise<boolean> => {
    const answer = await keep({ schema: 1, version: 1, target: targetId, ...given, steps: recipe.steps });
    if (answer.error) {
      notifications.show({ message: sentenceOf(answer.error), color: 'red' });
      return false;
    }
    // What was kept is what it follows: nothing of it is its own any more.
    await recipeSettled();
    const { conversionId, version, recipe: now } = store.getState().recipe;
    if (conversionId && now) {
      const { data, error } = await save({
        id: conversionId,
        version,
        recipe: now,
        follows: { id: answer.data.id, version: answer.data.version },
      });
      if (data) dispatch(saved({ version: data.version, recipe: data.recipe }));
      else notifications.show({ message: sentenceOf(error), color: 'red' });
      dispatch(api.util.invalidateTags(['conversion']));
    }
    notifications.show({ message: `“${answer.data.title}” is kept as version ${answer.data.version}.` });
    return true;
  };
  return (
    <>
      <Menu position="bottom-end" width={290}>
        <Menu.Target>
          <button type="button" className="crumb" data-recipe-menu>
            Recipe
            <IconChevronDown size={13} />
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Label>
            {row && follows
              ? `Follows “${row.latest.title}”, version ${follows.version}${row.latest.version > follows.version ? ` of ${row.latest.version}` : ''}; ${own ? `${own} of its own` : 'nothing of its own'}`
              : 'Follows no shared recipe'}
          </Menu.Label>
          {row && own > 0 && (
            <Menu.Item onClick={() => keepAs({ id: row.latest.id, title: row.latest.title, note: row.latest.note })}>
              Keep as version {row.latest.version + 1}
            </Menu.Item>
          )}
          <Menu.Item
            onClick={() => {
              setTitle(`For ${target}`);
              setNote('');
              setNaming(true);
            }}
          >
            Keep as a new recipe
          </Menu.Item>
          <Menu.Divider />
          <div className={styles.name}>
            <TextInput
              size="xs"
              label="Your name, for the report"
              defaultValue={nameHere()}
              maxLength={120}
              onChange={(event) => callHere(event.target.value)}
              onKeyDown={(event) => event.stopPropagation()}
            />
          </div>
          <Menu.Divider />
          <Menu.Item component={Link} to={`/recipes/${row?.latest.id ?? ''}`}>
            {row ? 'Give it to others, or see its versions' : 'Take a shared one'}
          </Menu.Item>
        </Menu.Dropdown>
      </Menu>
      <Modal opened={naming} onClose={() => setNaming(false)} title="Keep as a new recipe">
        <form
          onSubmit={async (event) => {
            event.preventDefault();
            const id = freeId(
              title,
              recipes.map(({ latest }) => latest.id),
              'recipe',
            );
            if (await keepAs({ id, title, note })) setNaming(false);
          }}
        >
          <TextInput
            label="Title"
            value={title}
            maxLength={80}
            required
            onChange={(event) => setTitle(event.target.value)}
          />
          <Textarea
            label="What it is for"
            autosize
            minRows={2}
            maxLength={2000}
            value={note}
            onChange={(event) => setNote(event.target.value)}
          />
          <div className="row apart">
            <Button type="submit" size="compact-md" loading={keeping.isLoading} disabled={!title.trim()}>
              Keep it
            </Button>
          </div>
        </form>
      </Modal>
    </>
  );
}
