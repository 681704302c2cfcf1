/** The types that a variable can be declared with, as choices of a field. */
import { useMemo } from 'react';
import { typeChoices } from '@ferrule/core/workspace';
import { useDocument } from '../document/store.js';
import type { Choice } from './ui.js';

export function useTypeChoices(): readonly Choice[] {
  const types = useDocument((s) => s.project?.types),
    pous = useDocument((s) => s.project?.pous);
  return useMemo(() => {
    const { project } = useDocument.getState();
    return project ? typeChoices(project).map(({ name, about }) => ({ text: name, about })) : [];
  }, [types, pous]);
}
