import type { components } from '../generated/api';

type Schemas = components['schemas'];

export type ClientMessage =
  | Schemas['Preview']
  | Schemas['Commit']
  | Schemas['Step']
  | Schemas['Probe']
  | Schemas['Locate']
  | Schemas['WhyAsked']
  | Schemas['RoundAsked']
  | Schemas['HoleAsked']
  | Schemas['CreaseAsked']
  | Schemas['WaysAsked']
  | Schemas['CombsAsked']
  | Schemas['LightsAsked']
  | Schemas['DependentsAsked']
  | Schemas['Cancel'];
export type ServerMessage =
  | Schemas['StudyState']
  | Schemas['Failed']
  | Schemas['Passed']
  | Schemas['Progress']
  | Schemas['Probed']
  | Schemas['Traced']
  | Schemas['Rounded']
  | Schemas['About']
  | Schemas['Ways']
  | Schemas['Located']
  | Schemas['Dependents'];
export type StudyState = Schemas['StudyState'];
export type StudySummary = Schemas['StudySummary'];
export type FeatureSummary = Schemas['FeatureSummary'];
export type EdgeRef = Schemas['EdgeRef'];
export type ToolInfo = Schemas['ToolInfo'];
export type Dimension = Schemas['Dimension'];
export type Group = Schemas['Group'];
export type Params = FeatureSummary['params'];
export type Op = Schemas['Preview']['op'];
export type FrameHeader = Schemas['FrameHeader'];
export type FrameObject = Schemas['FrameObject'];
export type FrameFeature = Schemas['FrameFeature'];
export type FrameHandle = Schemas['FrameHandle'];
export type FrameSeam = Schemas['FrameSeam'];
export type CombsHeader = Schemas['CombsHeader'];
export type FrameComb = Schemas['FrameComb'];
export type CombWanted = Schemas['CombWanted'];
export type LightsHeader = Schemas['LightsHeader'];
export type FrameLight = Schemas['FrameLight'];
export type LightSeam = Schemas['LightSeam'];
export type LightsWanted = Schemas['LightsWanted'];
export type Probed = Schemas['Probed'];
export type Traced = Schemas['Traced'];
export type WaysTold = Schemas['Ways'];
export type NamedId = Schemas['NamedId'];
export type Role = FeatureSummary['role'];
export type StudyLine = Schemas['StudyLine'];
export type StepImport = Schemas['StepImport'];
export type Job = Schemas['Job'];
export type FileCheck = Schemas['FileCheck'];
export type Created = Schemas['Created'];
export type DemoLine = Schemas['DemoLine'];
export type Limits = Schemas['Limits'];
export type Located = Schemas['Located'];
export type Point = [number, number, number];
/** A place that hangs on a line, at a fraction of its length, or on a CV. */
export type PlaceRef = { feature: string; edge: string; at: number; near?: Point | null } | { feature: string; cv: number };
export type Person = Schemas['Person'];
export type OpenTo = Schemas['OpenTo'];
