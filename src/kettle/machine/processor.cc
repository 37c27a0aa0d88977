// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/processor.h"

#include <hwloc.h>

#include <algorithm>
#include <cstdlib>
#include <fstream>
#include <memory>
#include <nlohmann/json.hpp>

#include "kettle/machine/cgroup.h"
#include "kettle/units/json_fields.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

struct TopologyDeleter {
  void operator()(hwloc_topology_t topology) const { hwloc_topology_destroy(topology); }
};
using TopologyPtr = std::unique_ptr<hwloc_topology, TopologyDeleter>;

struct BitmapDeleter {
  void operator()(hwloc_bitmap_t bitmap) const { hwloc_bitmap_free(bitmap); }
};
using BitmapPtr = std::unique_ptr<hwloc_bitmap_s, BitmapDeleter>;

// hwloc reads another tree than / only if the environment says so.
TopologyPtr LoadTopology(const fs::path& root) {
  const bool other = root != "/";
  if (other) setenv("HWLOC_FSROOT", root.c_str(), 1);
  hwloc_topology_t raw = nullptr;
  TopologyPtr topology;
  if (hwloc_topology_init(&raw) == 0) {
    topology.reset(raw);
    hwloc_topology_set_flags(raw, HWLOC_TOPOLOGY_FLAG_INCLUDE_DISALLOWED);
    if (hwloc_topology_load(raw) != 0) topology.reset();
  }
  if (other) unsetenv("HWLOC_FSROOT");
  return topology;
}

const char* CacheKind(hwloc_obj_cache_type_t type) {
  return type == HWLOC_OBJ_CACHE_DATA ? "data" : type == HWLOC_OBJ_CACHE_INSTRUCTION ? "instruction" : "unified";
}

void AddCaches(hwloc_topology_t topology, Processor& processor) {
  for (const hwloc_obj_type_t type : {HWLOC_OBJ_L1CACHE, HWLOC_OBJ_L2CACHE, HWLOC_OBJ_L3CACHE})
    for (hwloc_obj_t cache = nullptr; (cache = hwloc_get_next_obj_by_type(topology, type, cache));) {
      const auto& attributes = cache->attr->cache;
      const CacheGroup like{static_cast<int>(attributes.depth), CacheKind(attributes.type), 1,
                            static_cast<std::int64_t>(attributes.size)};
      const auto same = std::find_if(processor.caches.begin(), processor.caches.end(), [&](const CacheGroup& group) {
        return group.level == like.level && group.kind == like.kind && group.bytes == like.bytes;
      });
      if (same == processor.caches.end())
        processor.caches.push_back(like);
      else
        ++same->count;
    }
}

int CoresIn(hwloc_topology_t topology, hwloc_const_bitmap_t cpus) {
  int cores = 0;
  for (hwloc_obj_t core = nullptr; (core = hwloc_get_next_obj_by_type(topology, HWLOC_OBJ_CORE, core));)
    cores += hwloc_bitmap_intersects(core->cpuset, cpus) != 0;
  return cores;
}

// hwloc ranks kinds of cores by efficiency, the most powerful last.
void AddKinds(hwloc_topology_t topology, Processor& processor) {
  const int kinds = hwloc_cpukinds_get_nr(topology, 0);
  if (kinds < 2) return;
  const BitmapPtr cpus(hwloc_bitmap_alloc());
  for (int kind = 0; kind < kinds; ++kind) {
    int efficiency = -1;
    if (hwloc_cpukinds_get_info(topology, static_cast<unsigned>(kind), cpus.get(), &efficiency, nullptr, nullptr, 0) !=
            0 ||
        efficiency < 0) {
      processor.performance_cores = processor.efficiency_cores = 0;
      return;
    }
    (kind == kinds - 1 ? processor.performance_cores : processor.efficiency_cores) += CoresIn(topology, cpus.get());
  }
}

// By the kernel's numbers, in the order in which hwloc counts them: core by core.
std::vector<int> UsableThreads(hwloc_topology_t topology, const fs::path& root) {
  const BitmapPtr usable(hwloc_bitmap_dup(hwloc_topology_get_allowed_cpuset(topology)));
  const std::string affinity = FieldOf(root / "proc/self/status", "Cpus_allowed_list");
  if (!affinity.empty()) {
    const BitmapPtr mask(hwloc_bitmap_alloc());
    if (hwloc_bitmap_list_sscanf(mask.get(), affinity.c_str()) == 0)
      hwloc_bitmap_and(usable.get(), usable.get(), mask.get());
  }
  std::vector<int> numbers;
  for (hwloc_obj_t thread = nullptr; (thread = hwloc_get_next_obj_by_type(topology, HWLOC_OBJ_PU, thread));)
    if (hwloc_bitmap_isset(usable.get(), thread->os_index)) numbers.push_back(static_cast<int>(thread->os_index));
  return numbers;
}

}  // namespace

double Processor::capacity() const {
  const double threads_left = std::max(1, usable_threads);
  return quota_cores ? std::min(threads_left, *quota_cores) : threads_left;
}

Processor ReadProcessor(const fs::path& root) {
  Processor processor;
  processor.model = FieldOf(root / "proc/cpuinfo", "model name");
  processor.quota_cores = ReadCgroupLimits(root).cpu_cores;
  std::error_code error;
  if (!fs::exists(root / "sys/devices/system/cpu", error)) return processor;
  const TopologyPtr topology = LoadTopology(root);
  if (!topology) return processor;
  processor.packages = std::max(0, hwloc_get_nbobjs_by_type(topology.get(), HWLOC_OBJ_PACKAGE));
  processor.cores = std::max(0, hwloc_get_nbobjs_by_type(topology.get(), HWLOC_OBJ_CORE));
  processor.threads = std::max(0, hwloc_get_nbobjs_by_type(topology.get(), HWLOC_OBJ_PU));
  AddCaches(topology.get(), processor);
  AddKinds(topology.get(), processor);
  processor.usable = UsableThreads(topology.get(), root);
  processor.usable_threads = static_cast<int>(processor.usable.size());
  return processor;
}

void to_json(nlohmann::json& json, const Processor& p) {
  nlohmann::json caches = nlohmann::json::array();
  for (const CacheGroup& group : p.caches)
    caches.push_back({{"level", group.level}, {"kind", group.kind}, {"count", group.count}, {"bytes", group.bytes}});
  KETTLE_WRITE_FIELDS(json, p, model, packages, cores, threads, performance_cores, efficiency_cores, usable_threads);
  json.update({{"caches", caches}});
  if (p.quota_cores) json["quota_cores"] = *p.quota_cores;
}

}  // namespace kettle
