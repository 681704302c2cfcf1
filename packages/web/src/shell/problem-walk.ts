/** F8: from one problem to the next, wherever it is. */
import { useCallback, useRef } from 'react';
import { useNavigate, useParams } from 'react-router';
import { benchStore } from '../bench/live.js';
import { placeOf } from './place.js';

export function useProblemWalk(): (by: 1 | -1) => void {
  const navigate = useNavigate();
  const { id } = useParams();
  const at = useRef(-1);
  return useCallback(
    (by) => {
      const problems = benchStore.getState().checked?.problems ?? [];
      if (!problems.length) return;
      at.current = (at.current + by + problems.length) % problems.length;
      void navigate(placeOf(problems[at.current]!, id ?? ''));
    },
    [navigate, id],
  );
}
