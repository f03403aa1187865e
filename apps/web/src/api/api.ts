import type { Figure, Recipe, SharedRecipe, Target, Treatment } from '@dimetra/core';
import { createApi, fetchBaseQuery } from '@reduxjs/toolkit/query/react';
import type {
  CharacterDetail,
  CharacterRow,
  Conversion,
  FigureRow,
  RunDetail,
  RunRow,
  SharedRecipeRow,
  Stored,
  TargetRow,
  WorkerRow,
} from '@dimetra/contract';

const NAME = 'dimetra.name';
/** What somebody at this browser is called, for the report; empty where nobody said. */
export const nameHere = (): string => localStorage.getItem(NAME) ?? '';
export const callHere = (name: string): void => localStorage.setItem(NAME, name.trim());
const asks = () => (nameHere() ? { by: nameHere() } : {});

/** Server state. What changes on the server is announced by server-sent events, which invalidate the tags. */
export const api = createApi({
  reducerPath: 'api',
  baseQuery: fetchBaseQuery({ baseUrl: '/api/v1' }),
  tagTypes: ['characters', 'targets', 'figures', 'treatments', 'recipes', 'runs', 'run', 'conversion'],
  endpoints: (build) => ({
    production: build.query<{ id: string; name: string }, void>({ query: () => 'production' }),
    characters: build.query<CharacterRow[], void>({ query: () => 'characters', providesTags: ['characters'] }),
    character: build.query<CharacterDetail, string>({
      query: (id) => `characters/${id}`,
      providesTags: ['characters'],
    }),
    renameCharacter: build.mutation<void, { id: string; name: string }>({
      query: ({ id, name }) => ({ url: `characters/${id}`, method: 'PATCH', body: { name } }),
      invalidatesTags: ['characters'],
    }),
    goBack: build.mutation<void, { id: string; copyOf: string }>({
      query: ({ id, copyOf }) => ({ url: `characters/${id}/revisions`, method: 'POST', body: { copyOf } }),
      invalidatesTags: ['characters'],
    }),
    removeCharacter: build.mutation<void, string>({
      query: (id) => ({ url: `characters/${id}`, method: 'DELETE' }),
      invalidatesTags: ['characters', 'runs'],
    }),
    targets: build.query<TargetRow[], void>({ query: () => 'targets', providesTags: ['targets'] }),
    treatments: build.query<Treatment[], void>({ query: () => 'treatments', providesTags: ['treatments'] }),
    keepTreatment: build.mutation<Treatment, Treatment>({
      query: (body) => ({ url: `treatments/${body.id}`, method: 'PUT', body }),
      invalidatesTags: ['treatments'],
    }),
    removeTreatment: build.mutation<void, string>({
      query: (id) => ({ url: `treatments/${id}`, method: 'DELETE' }),
      invalidatesTags: ['treatments'],
    }),
    figures: build.query<FigureRow[], void>({ query: () => 'figures', providesTags: ['figures'] }),
    addFigure: build.mutation<FigureRow, unknown>({
      query: (body) => ({ url: 'figures', method: 'POST', body }),
      invalidatesTags: ['figures'],
    }),
    addFigureArchive: build.mutation<FigureRow, FormData>({
      query: (body) => ({ url: 'figures/archive', method: 'POST', body }),
      invalidatesTags: ['figures'],
    }),
    learnFigure: build.mutation<FigureRow, { characterId: string; title: string }>({
      query: (body) => ({ url: 'figures/learn', method: 'POST', body }),
      invalidatesTags: ['figures'],
    }),
    saveFigure: build.mutation<FigureRow, Figure>({
      query: (body) => ({ url: `figures/${body.id}`, method: 'PUT', body }),
      invalidatesTags: ['figures'],
    }),
    rememberRoles: build.mutation<FigureRow, { characterId: string; roles: Record<string, string> }>({
      query: (body) => ({ url: 'figures/remember', method: 'POST', body }),
      invalidatesTags: ['figures'],
    }),
    removeFigure: build.mutation<void, string>({
      query: (id) => ({ url: `figures/${id}`, method: 'DELETE' }),
      invalidatesTags: ['figures'],
    }),
    addTarget: build.mutation<TargetRow, Target>({
      query: (body) => ({ url: 'targets', method: 'POST', body }),
      invalidatesTags: ['targets'],
    }),
    saveTarget: build.mutation<TargetRow, Target>({
      query: (body) => ({ url: `targets/${body.id}`, method: 'PUT', body }),
      invalidatesTags: ['targets'],
    }),
    removeTarget: build.mutation<void, string>({
      query: (id) => ({ url: `targets/${id}`, method: 'DELETE' }),
      invalidatesTags: ['targets'],
    }),
    conversion: build.query<Conversion, { characterId: string; targetId: string }>({
      query: (body) => ({ url: 'conversions', method: 'POST', body }),
      providesTags: ['conversion'],
    }),
    /** By its id; one that is only asked about is not made for it. */
    conversionById: build.query<Conversion, string>({
      query: (id) => `conversions/${id}`,
      keepUnusedDataFor: 0,
      providesTags: ['conversion'],
    }),
    saveRecipe: build.mutation<
      Conversion,
      { id: string; recipe: Recipe; version: number; follows?: { id: string; version: number } | null }
    >({
      query: ({ id, ...body }) => ({ url: `conversions/${id}/recipe`, method: 'PUT', body }),
    }),
    recipes: build.query<SharedRecipeRow[], void>({ query: () => 'recipes', providesTags: ['recipes'] }),
    keepRecipe: build.mutation<SharedRecipe, SharedRecipe>({
      query: (body) => ({ url: 'recipes', method: 'POST', body }),
      invalidatesTags: ['recipes'],
    }),
    removeRecipe: build.mutation<void, string>({
      query: (id) => ({ url: `recipes/${id}`, method: 'DELETE' }),
      invalidatesTags: ['recipes', 'conversion'],
    }),
    startRun: build.mutation<{ id: string }, string>({
      query: (id) => ({ url: `conversions/${id}/runs`, method: 'POST', body: asks() }),
      invalidatesTags: ['runs'],
    }),
    runsOf: build.query<RunRow[], string>({ query: (id) => `conversions/${id}/runs`, providesTags: ['runs'] }),
    runs: build.query<RunRow[], number>({ query: (page) => `runs?page=${page}`, providesTags: ['runs'] }),
    workers: build.query<WorkerRow[], void>({ query: () => 'workers', providesTags: ['runs'] }),
    storage: build.query<Stored, void>({ query: () => 'storage', keepUnusedDataFor: 0, providesTags: ['characters'] }),
    run: build.query<RunDetail, string>({
      query: (id) => `runs/${id}`,
      providesTags: (_run, _error, id) => [{ type: 'run', id }],
    }),
    cancelRun: build.mutation<void, string>({
      query: (id) => ({ url: `runs/${id}/cancel`, method: 'POST' }),
      invalidatesTags: ['runs'],
    }),
  }),
});
export const {
  useProductionQuery,
  useCharactersQuery,
  useCharacterQuery,
  useRenameCharacterMutation,
  useGoBackMutation,
  useRemoveCharacterMutation,
  useTargetsQuery,
  useTreatmentsQuery,
  useKeepTreatmentMutation,
  useRemoveTreatmentMutation,
  useFiguresQuery,
  useAddFigureArchiveMutation,
  useAddFigureMutation,
  useLearnFigureMutation,
  useSaveFigureMutation,
  useRememberRolesMutation,
  useRemoveFigureMutation,
  useAddTargetMutation,
  useSaveTargetMutation,
  useRemoveTargetMutation,
  useConversionQuery,
  useConversionByIdQuery,
  useSaveRecipeMutation,
  useRecipesQuery,
  useKeepRecipeMutation,
  useRemoveRecipeMutation,
  useStartRunMutation,
  useRunsOfQuery,
  useRunsQuery,
  useWorkersQuery,
  useStorageQuery,
  useRunQuery,
  useCancelRunMutation,
} = api;

/** The sentence of a failed request. */
export function sentenceOf(error: unknown): string {
  const data = (error as { data?: { title?: string } } | undefined)?.data;
  return data?.title ?? 'The server is not answering. Nothing is lost; try again in a moment.';
}
