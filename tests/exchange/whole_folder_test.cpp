// A folder appears whole or not at all, and never takes the place of what someone else put there.

#include "inchtide/exchange/whole_folder.hpp"

#include <gmock/gmock.h>

#include <fstream>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/files.hpp"
#include "support/messages.hpp"

namespace inchtide::exchange {
namespace {

namespace fs = std::filesystem;
using test::message_of;
using testing::AllOf;
using testing::ElementsAre;
using testing::HasSubstr;

struct WholeFolders : testing::Test {
  fs::path base = fs::path(testing::TempDir()) /
                  (std::string("whole-") + testing::UnitTest::GetInstance()->current_test_info()->name());
  fs::path place = base / "study";
  WholeFolders() { fs::remove_all(base); }
  ~WholeFolders() override { fs::remove_all(base); }

  static std::vector<std::string> make(const fs::path& where, const std::string& text) {
    WholeFolder folder(where);
    write_text_file(folder.path() / "a.txt", text);
    write_text_file(folder.path() / "inner" / "b.txt", text);
    return folder.finish();
  }
  /// What lies beside the place.
  [[nodiscard]] std::vector<std::string> names() const {
    std::vector<std::string> all;
    for (const auto& entry : fs::directory_iterator(base)) all.push_back(entry.path().filename().string());
    std::ranges::sort(all);
    return all;
  }
};

TEST_F(WholeFolders, AppearWithTheirListAndReplaceAnEarlierOne) {
  EXPECT_THAT(make(place, "first"), ElementsAre("a.txt", "files.txt", "inner/b.txt"));
  EXPECT_EQ(read_text_file(place / "files.txt"), "a.txt\nfiles.txt\ninner/b.txt\n");
  make(place / "", "second");  // with a slash at its end
  EXPECT_EQ(read_text_file(place / "inner" / "b.txt"), "second");
  EXPECT_THAT(names(), ElementsAre("study"));
}

TEST_F(WholeFolders, WhatIsNotFinishedLeavesTheOldOneWhole) {
  make(place, "first");
  {
    WholeFolder folder(place);
    write_text_file(folder.path() / "a.txt", "half");
    EXPECT_EQ(read_text_file(place / "a.txt"), "first");
  }
  EXPECT_EQ(read_text_file(place / "a.txt"), "first");
  EXPECT_THAT(names(), ElementsAre("study"));
}

TEST_F(WholeFolders, AForeignFileIsNamedAndKept) {
  make(place, "first");
  write_text_file(place / "inner" / "notes.txt", "mine");
  EXPECT_THAT(message_of([&] { WholeFolder{place}; }), AllOf(HasSubstr("'inner/notes.txt'"), HasSubstr("Move that")));
  EXPECT_EQ(read_text_file(place / "inner" / "notes.txt"), "mine");
  fs::remove(place / "inner" / "notes.txt");
  EXPECT_NO_THROW(make(place, "second"));
  // The same for a link to a folder: it is no file of ours.
  fs::create_directory_symlink(base, place / "elsewhere");
  EXPECT_THAT(message_of([&] { WholeFolder{place}; }), HasSubstr("'elsewhere'"));
  EXPECT_THAT(names(), ElementsAre("study"));
}

TEST_F(WholeFolders, AForeignFileThatCameMeanwhileIsKeptToo) {
  make(place, "first");
  WholeFolder folder(place);
  write_text_file(folder.path() / "a.txt", "second");
  write_text_file(place / "late.txt", "mine");
  EXPECT_THAT(message_of([&] { folder.finish(); }), HasSubstr("'late.txt'"));
  EXPECT_EQ(read_text_file(place / "a.txt"), "first");
  EXPECT_EQ(read_text_file(place / "late.txt"), "mine");
}

TEST_F(WholeFolders, AFolderOfOthersAndAFileAreRefusedAnEmptyOneIsTaken) {
  write_text_file(base / "other" / "thing.csv", "1");
  EXPECT_THAT(message_of([&] { WholeFolder{base / "other"}; }), HasSubstr("'thing.csv'"));
  EXPECT_THAT(message_of([&] { WholeFolder{base / "other" / "thing.csv"}; }), HasSubstr("it is no folder"));
  fs::create_directories(place);
  EXPECT_NO_THROW(make(place, "first"));
  EXPECT_EQ(read_text_file(place / "a.txt"), "first");
}

TEST_F(WholeFolders, ALinkToAFolderStaysOne) {
  make(base / "real", "first");
  fs::create_directory_symlink(base / "real", place);
  make(place, "second");
  EXPECT_TRUE(fs::is_symlink(place));
  EXPECT_EQ(read_text_file(base / "real" / "a.txt"), "second");
}

}  // namespace
}  // namespace inchtide::exchange
