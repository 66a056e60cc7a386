/** Objects of a map extract, as its makers hold them: for the demo, the tests and the measurements. */
export interface ExtractObject {
  id: number;
  tags?: Record<string, string>;
  version?: number;
  /** Milliseconds since 1970-01-01T00:00Z. */
  time?: number;
  changeset?: number;
  editorId?: number;
  editor?: string;
}

export interface ExtractNode extends ExtractObject {
  lon: number;
  lat: number;
}

export interface ExtractWay extends ExtractObject {
  nodes: number[];
}

export interface ExtractMember {
  kind: 'node' | 'way' | 'relation';
  id: number;
  role: string;
}

export interface ExtractRelation extends ExtractObject {
  members: ExtractMember[];
}

export interface ExtractObjects {
  nodes: ExtractNode[];
  ways: ExtractWay[];
  relations: ExtractRelation[];
}
