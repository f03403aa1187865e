import { Spotlight, spotlight, type SpotlightActionGroupData } from '@mantine/spotlight';
import { useMantineColorScheme } from '@mantine/core';
import { useEffect, useState } from 'react';
import { Outlet, useLocation, useNavigate } from 'react-router';
import { useCharactersQuery, useTargetsQuery } from './api/api.ts';
import { followEvents } from './store/events.ts';
import { Header } from './header/Header.tsx';
import { ShortcutsHelp } from './header/ShortcutsHelp.tsx';
import { STATION_NAMES } from './line/stations.ts';
import { Area } from './shared/Area.tsx';
import { useAppDispatch } from './store/store.ts';

/** What stands round every page: header, search, shortcuts, announcements from the server. */
export function Frame() {
  const dispatch = useAppDispatch();
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const { toggleColorScheme } = useMantineColorScheme();
  const { data: characters = [] } = useCharactersQuery();
  const { data: targets = [] } = useTargetsQuery();
  const [help, setHelp] = useState(false);
  useEffect(() => followEvents(dispatch), [dispatch]);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const { target } = event;
      if (
        target instanceof HTMLElement &&
        (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
      )
        return;
      if (event.key === '?') setHelp(true);
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
  const actions: SpotlightActionGroupData[] = [
    {
      group: 'Characters',
      actions: characters.map((row) => ({
        id: row.id,
        label: row.name,
        description: `${row.triangles.toLocaleString('en-GB')} triangles`,
        onClick: () => navigate(`/c/${row.id}`),
      })),
    },
    {
      group: 'Targets',
      actions: targets.map((row) => ({
        id: row.id,
        label: row.title,
        description: row.note,
        onClick: () => navigate(`/targets/${row.id}`),
      })),
    },
    {
      group: 'Stations',
      actions: characters.slice(0, 1).flatMap((row) =>
        Object.entries(STATION_NAMES).map(([id, name]) => ({
          id: `station-${id}`,
          label: name,
          description: `Station, ${row.name}`,
          onClick: () => navigate(`/c/${row.id}/${row.conversions[0]?.targetId ?? targets[0]?.id ?? ''}/${id}`),
        })),
      ),
    },
    {
      group: 'Pages',
      actions: [
        { id: 'cast', label: 'Cast', onClick: () => navigate('/') },
        { id: 'targets', label: 'Targets', onClick: () => navigate('/targets') },
        { id: 'recipes', label: 'Recipes', onClick: () => navigate('/recipes') },
        { id: 'figures', label: 'Figures', onClick: () => navigate('/figures') },
        { id: 'matrix', label: 'Cast by targets', onClick: () => navigate('/matrix') },
        { id: 'proving', label: 'Proving ground', onClick: () => navigate('/proving') },
        { id: 'runs', label: 'Runs', onClick: () => navigate('/runs') },
        { id: 'scheme', label: 'Light or dark', onClick: toggleColorScheme },
        { id: 'keys', label: 'Shortcuts', onClick: () => setHelp(true) },
      ],
    },
  ];
  return (
    <div className="frame">
      <Header onSearch={spotlight.open} onHelp={() => setHelp(true)} />
      <Area name="This page" of={pathname}>
        <Outlet />
      </Area>
      <Spotlight
        actions={actions}
        shortcut="mod + K"
        nothingFound="Nothing is called that."
        searchProps={{ placeholder: 'Find a character, target, station or page' }}
        scrollable
        maxHeight={420}
      />
      <ShortcutsHelp opened={help} onClose={() => setHelp(false)} />
    </div>
  );
}
