// SPDX-License-Identifier: GPL-3.0-or-later
#include "match/point_index.h"

#include <nanoflann.hpp>

namespace wyc {

struct PointIndex::Tree {
    struct Cloud {
        Eigen::Matrix3Xd points;
        std::vector<std::uint32_t> numbers;
        [[nodiscard]] std::size_t kdtree_get_point_count() const { return numbers.size(); }
        [[nodiscard]] double kdtree_get_pt(std::size_t i, std::size_t axis) const {
            return points(static_cast<Eigen::Index>(axis), static_cast<Eigen::Index>(i));
        }
        template<class Box> bool kdtree_get_bbox(Box&) const { return false; }
    };

    using Index =
        nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, Cloud>, Cloud, 3, std::uint32_t>;

    Cloud cloud;
    std::unique_ptr<Index> index;
};

PointIndex::PointIndex(const Eigen::Matrix3Xd& points) : tree_(std::make_unique<Tree>()) {
    Tree::Cloud& cloud = tree_->cloud;
    cloud.points.resize(3, points.cols());
    for (Eigen::Index i = 0; i < points.cols(); ++i)
        if (points.col(i).allFinite()) {
            cloud.points.col(static_cast<Eigen::Index>(cloud.numbers.size())) = points.col(i);
            cloud.numbers.push_back(static_cast<std::uint32_t>(i));
        }
    tree_->index = std::make_unique<Tree::Index>(3, cloud, nanoflann::KDTreeSingleIndexAdaptorParams(16));
    tree_->index->buildIndex();
}

PointIndex::~PointIndex() = default;
PointIndex::PointIndex(PointIndex&&) noexcept = default;
PointIndex& PointIndex::operator=(PointIndex&&) noexcept = default;

std::vector<PointIndex::Near> PointIndex::nearest(const Eigen::Vector3d& place, std::size_t count) const {
    if (tree_->cloud.numbers.empty() || !place.allFinite())
        return {};
    std::vector<std::uint32_t> numbers(count);
    std::vector<double> squares(count);
    const std::size_t found = tree_->index->knnSearch(place.data(), count, numbers.data(), squares.data());
    std::vector<Near> near;
    for (std::size_t i = 0; i < found; ++i)
        near.push_back({tree_->cloud.numbers[numbers[i]], squares[i]});
    return near;
}

} // namespace wyc
