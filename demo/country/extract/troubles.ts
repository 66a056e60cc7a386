import { flats, type Point } from '../units.ts';
import { type ExtractMaker, ringAround } from './ombrey.ts';

const way = (id: number, role = 'outer') => ({ kind: 'way' as const, id, role });

/** Mistakes that people make when they draw, and what a cut at a region's border leaves; all listed in TROUBLES.md. */
export function plantTroubles(maker: ExtractMaker, roads: readonly number[]): void {
  const at = (k: number, dx: number, dy: number): Point => [flats[k].centre[0] + dx, flats[k].centre[1] + dy];
  const ring = (k: number, dx: number, dy: number, reach: number, name: string, corners = 12) =>
    ringAround(at(k, dx, dy), reach, name, corners);
  const halves = (points: Point[]): [Point[], Point[]] => {
    const middle = Math.floor(points.length / 2);
    return [points.slice(0, middle + 1), points.slice(middle)];
  };

  // A lake whose second way lies beyond the border of the extract.
  const [near] = halves(ring(2, 1700, 0, 400, 'cut lake'));
  maker.relation({ type: 'multipolygon', natural: 'water', name: 'Border Mere' }, [
    way(maker.way(near)),
    way(99_901),
  ]);

  // A wood whose border does not close: its last node was drawn beside the first.
  const wood = ring(5, 1500, -700, 350, 'open wood');
  const [one, two] = halves(wood);
  two[two.length - 1] = [wood[0][0] + 4, wood[0][1] + 3];
  maker.relation({ type: 'multipolygon', natural: 'wood', name: 'Gap Wood' }, [
    way(maker.way(one)),
    way(maker.way(two)),
  ]);

  // A park as they were drawn once: the tags on the outer way, none on the relation.
  const park = maker.way(ring(8, -1500, 500, 260, 'old park'), { leisure: 'park', name: 'Old Park' });
  maker.relation({ type: 'multipolygon' }, [
    way(park),
    way(maker.way(ring(8, -1500, 500, 60, 'old pond', 7)), 'inner'),
  ]);

  // A meadow with the roles of ring and hole exchanged.
  maker.relation({ type: 'multipolygon', landuse: 'meadow', name: 'Turned Meadow' }, [
    way(maker.way(ring(11, 1500, 600, 300, 'turned')), 'inner'),
    way(maker.way(ring(11, 1500, 600, 80, 'turned hole', 7)), 'outer'),
  ]);

  // One way listed twice.
  const [left, right] = halves(ring(14, -1400, -500, 250, 'twice'));
  const [a, b] = [maker.way(left), maker.way(right)];
  maker.relation({ type: 'multipolygon', landuse: 'orchard', name: 'Double Orchard' }, [
    way(a),
    way(b),
    way(a),
  ]);

  // Two outer rings that cross where they have no node.
  maker.relation({ type: 'multipolygon', landuse: 'allotments', name: 'Crossed Plots' }, [
    way(maker.way(ring(17, 1400, 300, 150, 'plots', 8))),
    way(maker.way(ring(17, 1550, 340, 150, 'more plots', 8))),
  ]);

  // A relation that says nothing, with outer ways that say nothing.
  maker.relation({ type: 'multipolygon', source: 'survey' }, [
    way(maker.way(ring(20, 1300, 0, 100, 'silent'))),
  ]);

  // A way that lends all its tags to its relation once more: one area, not two.
  const tags = { landuse: 'forest', name: 'Twin Forest' };
  maker.relation({ type: 'multipolygon', ...tags }, [
    way(maker.way(ring(3, 1300, -1500, 300, 'twin'), tags)),
    way(maker.way(ring(3, 1300, -1500, 70, 'twin glade', 7)), 'inner'),
  ]);

  // A road that leaves the extract: two of its nodes are not in it.
  const road = maker.objects.ways.find((each) => each.id === roads[0])!;
  road.nodes.splice(6, 0, 990_001, 990_002);

  // A house that was not closed, and a misspelt road.
  maker.way(ring(23, 200, 260, 12, 'open house', 4).slice(0, 4), { building: 'house' });
  maker.way([at(24, 0, -60), at(24, 160, -90), at(24, 300, -80)], {
    highway: 'residental',
    name: 'Mill Lane',
  });

  // A roundabout is closed and no area; a square is one because it says so.
  maker.way(ring(6, -300, -200, 20, 'roundabout', 10), { highway: 'tertiary', junction: 'roundabout' });
  maker.way(ring(6, -300, -300, 25, 'square', 8), {
    highway: 'pedestrian',
    area: 'yes',
    name: 'Market Square',
  });

  // Numbers that are none, and a node that only tells who drew it.
  maker.way([at(9, -60, 0), at(9, -260, 30)], { highway: 'service', lanes: 'two', maxspeed: '10 mph' });
  maker.node(at(9, 333, 333), { created_by: 'field_survey' });
}
