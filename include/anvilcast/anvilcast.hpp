// Everything at once.
#pragma once

#include <anvilcast/case.hpp>
#include <anvilcast/context.hpp>
#include <anvilcast/cut.hpp>
#include <anvilcast/delaunay.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/geometry.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/mend.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/predicates.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/version.hpp>
#include <anvilcast/volume_mesh.hpp>
