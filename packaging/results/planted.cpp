// Not built: what packaging/results/check.sh must and must not find.
#include "core/base/Result.h"

#include <vector>

orthochron::Result<int> number();
orthochron::Result<std::vector<int>> list();

int takenFromAVariable()
{
    auto result = number();
    return *result;
}

int takenFromACall()
{
    return *number();
}

std::size_t takenByArrow()
{
    const auto result = list();
    return result->size();
}

int asked()
{
    auto result = number();
    return result ? *result : 0;
}

int askedByHolding()
{
    if (const auto result = list(); result.has_value()) {
        return result->front();
    }
    return 0;
}
