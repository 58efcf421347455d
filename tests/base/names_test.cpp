#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>

#include "base/maybe_index.hpp"
#include "base/names.hpp"

namespace anvilcast::base {
namespace {

TEST(Names, FaultsAreToldBeforeAnythingIsMeshed) {
    for (const char* good : {"wall", "a/b", "Einla\xC3\x9F", "inlet 2"}) EXPECT_EQ(fault_of_name(good), "") << good;
    EXPECT_NE(fault_of_name(" ").find("blank"), std::string::npos);
    EXPECT_NE(fault_of_name("..").find("directory"), std::string::npos);
    EXPECT_NE(fault_of_name("Einla\xDF").find("UTF-8"), std::string::npos);
    EXPECT_NE(fault_of_name(std::string("a\0b", 3)).find("control"), std::string::npos);
    EXPECT_NE(fault_of_name("a\x1B[2J").find("control"), std::string::npos);
    EXPECT_NE(fault_of_name(std::string(251, 'a')).find("251 bytes"), std::string::npos);
}

TEST(Names, OutOfFilesBecomeOnesOfOurs) {
    EXPECT_EQ(tidy_name("  lid "), "lid");
    EXPECT_EQ(tidy_name("Einla\xDF"), "Einla\xC3\x9F");
    EXPECT_EQ(tidy_name("a\x1B[2J"), "a_[2J");
    EXPECT_EQ(tidy_name(""), "zone");
    EXPECT_EQ(tidy_name(".."), "zone");
    for (const std::string& any : {std::string("\xC3"), std::string(300, '\xC3'), std::string("\x00\x80\xFF", 3)})
        EXPECT_EQ(fault_of_name(tidy_name(any)), "") << any;
}

TEST(Names, FilesHaveDifferentOnesAndLettersStayWhole) {
    EXPECT_EQ(file_names({"a/b", "a_b", "A_B", ".x"}), (std::vector<std::string>{"a_b", "a_b-2", "A_B-3", "_x"}));
    EXPECT_EQ(cut_at_letter("ab\xC3\x9F", 3), "ab");
    UniqueNames unique(5, {"taken"});
    EXPECT_EQ(unique.add("taken"), "tak-2");
    EXPECT_EQ(unique.add("longer"), "longe");
    EXPECT_EQ(unique.add("longer"), "lon-2");
}

TEST(MaybeIndex, IsNotTakenForOneWhereThereIsNone) {
    EXPECT_EQ(*MaybeIndex(3), 3U);
    EXPECT_TRUE(MaybeIndex().is_none());
    EXPECT_THROW(*MaybeIndex(), InternalError);
}

}  // namespace
}  // namespace anvilcast::base
