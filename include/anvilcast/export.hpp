#pragma once

/// Marks what a consumer may call; everything else is hidden.
#define ANVILCAST_API __attribute__((visibility("default")))
