#pragma once

#include <oneapi/tbb/task_arena.h>
#include <oneapi/tbb/task_group.h>

#include <utility>

namespace orthochron {

// Does `work` while another thread, where one is free, does `other`; answers when both are done. Who
// waits for the other takes up nothing else, lest a short wait become a long one.
template<class Other, class Own>
void doMeanwhile(Other&& other, Own&& work)
{
    tbb::this_task_arena::isolate([&] {
        tbb::task_group beside;
        beside.run(std::forward<Other>(other));
        std::forward<Own>(work)();
        beside.wait();
    });
}

}  // namespace orthochron
