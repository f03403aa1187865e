import { Menu } from '@mantine/core';
import { IconChevronDown, IconSearch } from '@tabler/icons-react';
import { Link, useLocation, useParams } from 'react-router';
import { useCharactersQuery, useProductionQuery, useTargetsQuery } from '../api/api.ts';
import { RecipeMenu } from '../recipes/RecipeMenu.tsx';
import { RunControl } from './RunControl.tsx';

/** Mark, path (production / character / target, each a chooser), search, run. */
export function Header({ onSearch, onHelp }: { onSearch: () => void; onHelp: () => void }) {
  const { characterId, targetId, station } = useParams();
  const { pathname } = useLocation();
  const { data: production } = useProductionQuery();
  const { data: characters = [] } = useCharactersQuery();
  const { data: targets = [] } = useTargetsQuery();
  const character = characters.find((row) => row.id === characterId);
  const target = targets.find((row) => row.id === targetId);
  return (
    <header className="header">
      <Link to="/" className="crumb here" aria-label="Dimetra, to the cast">
        <img className="mark" src="/mark.svg" alt="" />
        Dimetra
      </Link>
      <nav className="path" aria-label="Where you are">
        <Menu position="bottom-start">
          <Menu.Target>
            <button type="button" className={`crumb ${pathname === '/' ? 'here' : ''}`}>
              {production?.name ?? ' '}
              <IconChevronDown size={13} />
            </button>
          </Menu.Target>
          <Menu.Dropdown>
            <Menu.Item component={Link} to="/">
              Cast
            </Menu.Item>
            <Menu.Item component={Link} to="/matrix">
              Cast by targets
            </Menu.Item>
            <Menu.Item component={Link} to="/targets">
              Targets
            </Menu.Item>
            <Menu.Item component={Link} to="/recipes">
              Recipes
            </Menu.Item>
            <Menu.Item component={Link} to="/figures">
              Figures
            </Menu.Item>
            <Menu.Item component={Link} to="/proving">
              Proving ground
            </Menu.Item>
            <Menu.Item component={Link} to="/runs">
              Runs
            </Menu.Item>
          </Menu.Dropdown>
        </Menu>
        {pathname.startsWith('/matrix') && (
          <>
            <span className="sep">/</span>
            <span className="crumb here">Cast by targets</span>
          </>
        )}
        {pathname.startsWith('/targets') && (
          <>
            <span className="sep">/</span>
            <span className="crumb here">Targets</span>
          </>
        )}
        {pathname.startsWith('/recipes') && (
          <>
            <span className="sep">/</span>
            <span className="crumb here">Recipes</span>
          </>
        )}
        {pathname.startsWith('/figures') && (
          <>
            <span className="sep">/</span>
            <span className="crumb here">Figures</span>
          </>
        )}
        {pathname.startsWith('/proving') && (
          <>
            <span className="sep">/</span>
            <span className="crumb here">Proving ground</span>
          </>
        )}
        {pathname.startsWith('/runs') && (
          <>
            <span className="sep">/</span>
            <span className="crumb here">Runs</span>
          </>
        )}
        {pathname.startsWith('/report') && (
          <>
            <span className="sep">/</span>
            <span className="crumb here">Report</span>
          </>
        )}
        {character && (
          <>
            <span className="sep">/</span>
            <Menu position="bottom-start">
              <Menu.Target>
                <button type="button" className="crumb here">
                  {character.name}
                  <IconChevronDown size={13} />
                </button>
              </Menu.Target>
              <Menu.Dropdown mah={420} style={{ overflowY: 'auto' }}>
                {characters.map((row) => (
                  <Menu.Item
                    key={row.id}
                    component={Link}
                    to={`/c/${row.id}${targetId ? `/${targetId}/${station ?? ''}` : ''}`}
                  >
                    {row.name}
                  </Menu.Item>
                ))}
              </Menu.Dropdown>
            </Menu>
            <span className="sep">/</span>
            <Menu position="bottom-start" width={320}>
              <Menu.Target>
                <button type="button" className="crumb here">
                  {target?.title ?? 'Choose a target'}
                  <IconChevronDown size={13} />
                </button>
              </Menu.Target>
              <Menu.Dropdown>
                {targets.map((row) => (
                  <Menu.Item
                    key={row.id}
                    component={Link}
                    to={`/c/${character.id}/${row.id}/${station ?? ''}`}
                    rightSection={<span className="num quiet">{row.triangles.max.toLocaleString('en-GB')}</span>}
                  >
                    {row.title}
                  </Menu.Item>
                ))}
                <Menu.Divider />
                <Menu.Item component={Link} to={`/targets/${targetId ?? ''}`}>
                  Edit targets
                </Menu.Item>
              </Menu.Dropdown>
            </Menu>
          </>
        )}
      </nav>
      <button type="button" className="crumb framed" onClick={onSearch}>
        <IconSearch size={14} />
        Find anything <kbd>Ctrl K</kbd>
      </button>
      <button type="button" className="crumb" onClick={onHelp} aria-label="Shortcuts">
        <kbd>?</kbd>
      </button>
      {character && target && <RecipeMenu characterId={character.id} targetId={target.id} target={target.title} />}
      {character && target && <RunControl characterId={character.id} targetId={target.id} />}
    </header>
  );
}
