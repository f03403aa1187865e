import { expect, it } from 'vitest';
import { withoutMorphs } from './without-morphs.ts';

it('lays skins on the surfaces that morphs are of, and leaves everything else alone', () => {
  const text = `<library_controllers>
<controller id="head-morph"><morph method="NORMALIZED" source="#head"><source/></morph></controller>
<controller id="head-skin"><skin source="#head-morph"><joints/></skin></controller>
<controller id="coat-skin"><skin source="#coat"><joints/></skin></controller>
</library_controllers>
<instance_controller url="#head-skin"><skeleton/></instance_controller>
<instance_controller url="#head-morph"><bind_material/></instance_controller>`;
  const bare = withoutMorphs(text);
  expect(bare).toContain('<controller id="head-skin"><skin source="#head">');
  expect(bare).toContain('<controller id="coat-skin"><skin source="#coat">');
  expect(bare).toContain('<instance_controller url="#head-skin"><skeleton/></instance_controller>');
  expect(bare).toContain('<instance_geometry url="#head"><bind_material/></instance_geometry>');
  expect(withoutMorphs('<COLLADA/>')).toBe('<COLLADA/>');
});
