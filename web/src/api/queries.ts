import { QueryClient, type UseQueryResult, useQuery } from "@tanstack/react-query";
import { api } from "./client";
import type {
  Backups,
  Check,
  LevelSummary,
  Piece,
  ProjectView,
  RecentProject,
  Recipe,
  Rules,
  ShapeInfo,
  Step,
  ToolInfo,
} from "./types";

/** What is asked of the server and not told by itself. The level comes and changes through its own store. */
export const queries = new QueryClient({ defaultOptions: { queries: { refetchOnWindowFocus: false, retry: 2 } } });

const FOR_EVER = Number.POSITIVE_INFINITY;
const rules = { queryKey: ["rules"], queryFn: api.rules, staleTime: FOR_EVER };
const tools = { queryKey: ["tools"], queryFn: api.tools, staleTime: FOR_EVER };
const shapes = { queryKey: ["shapes"], queryFn: api.shapes, staleTime: FOR_EVER };
const project = { queryKey: ["project"], queryFn: api.project, staleTime: FOR_EVER };

export const useRules = (): Rules | undefined => useQuery(rules).data;
export const useTools = (): ToolInfo[] | undefined => useQuery(tools).data;
export const useShapes = (): readonly ShapeInfo[] => useQuery(shapes).data ?? [];
export const useProject = (): ProjectView | undefined => useQuery(project).data;
export const useLevels = (): UseQueryResult<LevelSummary[]> => useQuery({ queryKey: ["levels"], queryFn: api.levels });
export const useRecent = (): RecentProject[] => useQuery({ queryKey: ["recent"], queryFn: api.recent }).data ?? [];

export const useBackups = (): Backups | undefined =>
  useQuery({ queryKey: ["backups"], queryFn: api.backups, staleTime: 60_000 }).data;

export const useRecipes = (): Recipe[] => useQuery({ queryKey: ["recipes"], queryFn: api.recipes }).data ?? [];

/** What is worth a look of a piece's mesh. */
export const useCheck = (level: string | null, piece: Piece | null): Check | undefined =>
  useQuery(
    {
      queryKey: ["check", level, piece?.id, piece?.mesh, piece?.finish?.source],
      queryFn: () => api.check(level ?? "", piece?.id ?? ""),
      enabled: level !== null && piece !== null,
      staleTime: FOR_EVER,
      placeholderData: (before) => before,
    },
    // it is asked for within the drawing, too, where no provider is
    queries,
  ).data;

/** The steps that have changed a piece, as of a revision. */
export const useEarlier = (level: string | null, piece: Piece | null, revision: number): Step[] =>
  useQuery({
    queryKey: ["earlier", level, piece?.id, revision],
    queryFn: () => api.earlier(level ?? "", piece?.id ?? ""),
    enabled: level !== null && piece !== null,
    staleTime: FOR_EVER,
    placeholderData: (before) => before,
  }).data ?? [];

/** The recipes have changed: have their list asked for again. */
export const askRecipes = (): Promise<void> => queries.invalidateQueries({ queryKey: ["recipes"] });

/** The project was opened anew: have it asked for again. */
export const askProject = (): Promise<void> => queries.invalidateQueries({ queryKey: ["project"] });

/** The levels have changed: have their list asked for again. */
export const askLevels = (): Promise<void> => queries.invalidateQueries({ queryKey: ["levels"] });

/** The description of a shape, where it has been told. */
export const shapeInfo = (kind: string): ShapeInfo | undefined =>
  queries.getQueryData<ShapeInfo[]>(shapes.queryKey)?.find((s) => s.kind === kind);

/** The rules, where they have been told. */
export const rulesNow = (): Rules | undefined => queries.getQueryData<Rules>(rules.queryKey);
