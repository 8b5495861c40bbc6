import { InputProblem } from '../problem';
import type { Channel, Group, Module, Pack, PackProfile, Place } from './types';

/** Name of the k-th (1-based) group of a channel; a channel of one group lends it its own name. */
const groupName = (channelId: string, cells: number, k: number): string =>
  cells === 1 ? channelId : `${channelId}.${k}`;

/** Places modules in two columns, down the left and back up the right, when the profile gives no places. */
function defaultPlace(index: number, count: number): Place {
  const rows = Math.ceil(count / 2);
  return index < rows ? { tier: 0, row: index, column: 0 } : { tier: 0, row: count - 1 - index, column: 1 };
}

/**
 * Works out the map channel ↔ group ↔ module ↔ place.
 * @throws InputProblem naming the channel, group or module that breaks the map (all consistency faults that
 *   `checkProfile` lists as errors).
 */
export function normalisePack(profile: PackProfile): Pack {
  // What cannot change is worked out once.
  const known = mapped.get(profile);
  if (known) return known;
  const pack = mapOf(profile);
  if (Object.isFrozen(profile)) mapped.set(profile, pack);
  return pack;
}
const mapped = new WeakMap<PackProfile, Pack>();

function mapOf(profile: PackProfile): Pack {
  const groups: Group[] = [];
  const channels: Channel[] = [];
  const groupByName = new Map<string, Group>();
  const channelById = new Map<string, Channel>();
  profile.channels.forEach((spec, index) => {
    if (channelById.has(spec.id)) {
      throw new InputProblem(
        'duplicate-channel',
        `Channel ${spec.id} is listed twice.`,
        `channels[${index}]`,
        'Each channel once, in electrical order.',
      );
    }
    const channel: Channel = { ...spec, index, groupIndices: [], moduleIndices: [] };
    for (let k = 1; k <= spec.cells; k++) {
      const group: Group = {
        id: groupName(spec.id, spec.cells, k),
        index: groups.length,
        channelIndex: index,
        moduleIndex: -1,
      };
      channel.groupIndices.push(group.index);
      groupByName.set(group.id, group);
      groups.push(group);
    }
    channels.push(channel);
    channelById.set(spec.id, channel);
  });

  const seenModules = new Set<string>();
  const modules: Module[] = profile.modules.map((spec, index) => {
    const where = `modules[${index}] (${spec.id})`;
    if (seenModules.has(spec.id)) {
      throw new InputProblem(
        'duplicate-module',
        `Module ${spec.id} is listed twice.`,
        where,
        'Each module once.',
      );
    }
    seenModules.add(spec.id);
    const own: Group[] = [];
    for (const id of spec.channels ?? []) {
      const channel = channelById.get(id);
      if (!channel)
        throw new InputProblem(
          'unknown-channel',
          `Module ${spec.id} names channel ${id}, which the pack does not have.`,
          where,
          'Channels from the channel list.',
        );
      own.push(...channel.groupIndices.map((g) => groups[g]!));
    }
    for (const id of spec.groups ?? []) {
      const group = groupByName.get(id);
      if (!group)
        throw new InputProblem(
          'unknown-group',
          `Module ${spec.id} names group ${id}, which the pack does not have.`,
          where,
          'Groups such as ch03.7: channel, dot, number within it.',
        );
      own.push(group);
    }
    if (own.length === 0)
      throw new InputProblem(
        'empty-module',
        `Module ${spec.id} has no channels or groups.`,
        where,
        'At least one channel or group.',
      );
    for (const group of own) {
      if (group.moduleIndex >= 0) {
        throw new InputProblem(
          'group-twice',
          `Group ${group.id} sits in ${profile.modules[group.moduleIndex]!.id} and in ${spec.id}.`,
          where,
          'Every group in exactly one module.',
        );
      }
      group.moduleIndex = index;
    }
    own.sort((a, b) => a.index - b.index);
    return {
      id: spec.id,
      index,
      groupIndices: own.map((g) => g.index),
      channelIndices: [...new Set(own.map((g) => g.channelIndex))],
      place: spec.place ?? defaultPlace(index, profile.modules.length),
      massKg: spec.massKg,
    };
  });

  const loose = groups.find((g) => g.moduleIndex < 0);
  if (loose)
    throw new InputProblem(
      'group-without-module',
      `Group ${loose.id} sits in no module.`,
      `channels[${loose.channelIndex}]`,
      'Every group in exactly one module.',
    );
  for (const channel of channels) {
    channel.moduleIndices = [...new Set(channel.groupIndices.map((g) => groups[g]!.moduleIndex))];
  }
  const stringOrder = [...modules]
    .sort((a, b) => a.groupIndices[0]! - b.groupIndices[0]!)
    .map((m) => m.index);
  const tierCount = Math.max(...modules.map((m) => m.place.tier)) + 1;
  const tiers = Array.from(
    { length: tierCount },
    (_, t) => profile.tiers?.[t] ?? (tierCount === 1 ? 'Modules' : `Tier ${t + 1}`),
  );
  return { profile, groups, channels, modules, stringOrder, tiers };
}

/** Names of the modules a channel reads, e.g. `M07` or `M03 + M04`. */
export const modulesOfChannel = (pack: Pack, channelIndex: number): string =>
  pack.channels[channelIndex]!.moduleIndices.map((m) => pack.modules[m]!.id).join(' + ');
