import { useQuery } from '@tanstack/react-query';

import { whoAmI } from '../../api/people';

/** Who one is, and what one may do with a study. */
export const useWho = (study: string | null) => useQuery({ queryKey: ['who', study], queryFn: () => whoAmI(study), staleTime: 2_000 });
